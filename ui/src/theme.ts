/** MUI dressed in Awl's tokens: hairlines instead of boxes, no shadows, no ripples. */
import { createTheme } from "@mui/material/styles";

const sans = '"IBM Plex Sans", system-ui, sans-serif';

export const theme = createTheme({
  shape: { borderRadius: 2 },
  typography: { fontFamily: sans, fontSize: 13, button: { textTransform: "none", fontWeight: 600 } },
  palette: { primary: { main: "#005E73" } },
  components: {
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiButton: {
      defaultProps: { disableElevation: true },
      styleOverrides: {
        root: {
          minWidth: 0,
          padding: "4px 12px",
          font: "var(--t-ui)",
          fontWeight: 500,
          color: "var(--ink)",
          border: "1px solid var(--rule-2)",
          background: "var(--page)",
          "&:hover": { background: "var(--sunk)" },
          "&.Mui-disabled": { color: "var(--ink-3)", borderColor: "var(--rule)" },
          "&:focus-visible": { outline: "2px solid var(--thread)", outlineOffset: 1 },
        },
        contained: {
          background: "var(--thread)",
          color: "var(--on-thread)",
          borderColor: "var(--thread)",
          fontWeight: 600,
          "&:hover": { background: "var(--thread)", filter: "brightness(1.1)" },
        },
      },
    },
    MuiSlider: {
      styleOverrides: {
        root: { color: "var(--ink-2)", height: 2, padding: "14px 0" },
        rail: { background: "var(--rule-2)", opacity: 1, height: 1 },
        track: { display: "none" },
        mark: { width: 1, height: 7, background: "var(--rule-2)", transform: "translate(-1px, 0)" },
        markLabel: { font: "var(--t-small)", color: "var(--ink-3)", top: 30 },
        thumb: {
          width: 13,
          height: 13,
          background: "var(--ink)",
          "&::before": { boxShadow: "none" },
          "&:hover, &.Mui-focusVisible, &.Mui-active": {
            boxShadow: "0 0 0 2px var(--page), 0 0 0 4px var(--thread)",
          },
        },
      },
    },
    MuiInputBase: {
      styleOverrides: { root: { font: "var(--t-ui)", color: "var(--ink)" }, input: { padding: "4px 6px", height: "auto" } },
    },
    MuiOutlinedInput: {
      styleOverrides: {
        root: { "&.Mui-focused .MuiOutlinedInput-notchedOutline": { borderColor: "var(--thread)", borderWidth: 1.5 } },
        notchedOutline: { borderColor: "var(--rule-2)" },
        input: { padding: "5px 8px" },
      },
    },
    MuiCheckbox: { styleOverrides: { root: { padding: 3, color: "var(--rule-2)", "&.Mui-checked": { color: "var(--thread)" } } } },
    MuiRadio: { styleOverrides: { root: { padding: 3, color: "var(--rule-2)", "&.Mui-checked": { color: "var(--thread)" } } } },
    MuiFormControlLabel: { styleOverrides: { root: { marginRight: 14, marginLeft: -3 }, label: { font: "var(--t-ui)" } } },
    MuiLinearProgress: {
      styleOverrides: {
        root: { height: 2, background: "var(--rule)", borderRadius: 0 },
        bar: { background: "var(--thread)", borderRadius: 0 },
      },
    },
    MuiTooltip: {
      styleOverrides: {
        tooltip: { background: "var(--ink)", color: "var(--page)", font: "var(--t-small)", borderRadius: 2, padding: "4px 8px" },
      },
    },
  },
});
