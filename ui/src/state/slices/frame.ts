/** The frame of the screen: which study and stage, in which theme, with what message. */
import type { Slice } from "./slice";

export const STAGES = ["sources", "streets", "modes", "sheet", "handout"] as const;
export type Stage = (typeof STAGES)[number];
/** The sheet that every study has. */
export const FIRST_SHEET = "main";
export type Theme = "light" | "dark";

export type Frame = {
  study: string | null;
  stage: Stage;
  /** Which of the study's sheets is open. */
  sheet: string;
  theme: Theme;
  /** What is told at the foot of the page. */
  notice: string | null;
  panelHeight: number;
  flipTheme: () => void;
  tell: (notice: string | null) => void;
  setPanelHeight: (height: number) => void;
};

function storedTheme(): Theme {
  try {
    return localStorage.getItem("awl-theme") === "dark" ? "dark" : "light";
  } catch {
    return "light";
  }
}

export const frame: Slice<Frame> = (set) => ({
  study: null,
  stage: "sheet",
  sheet: FIRST_SHEET,
  theme: storedTheme(),
  notice: null,
  panelHeight: 222,
  flipTheme: () => set(({ theme }) => ({ theme: theme === "dark" ? "light" : "dark" })),
  tell: (notice) => set({ notice }),
  setPanelHeight: (panelHeight) => set({ panelHeight }),
});
