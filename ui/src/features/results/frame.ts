/** How axes and grids of charts look. */
export const AXIS = { tickLabelStyle: { fontSize: 11.5, fill: "var(--ink-2)", fontFamily: "IBM Plex Sans" } };
export const FRAME = {
  "& .MuiChartsAxis-line, & .MuiChartsAxis-tick": { stroke: "var(--rule-2) !important" },
  "& .MuiChartsGrid-line": { stroke: "var(--rule)" },
  "& .MuiBarElement-root": { rx: 0 },
};
