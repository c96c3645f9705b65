/** What the screen shows: which study and stage, what is selected, what runs. The study itself lives on the server. */
import type { Feature, Polygon } from "geojson";
import { create } from "zustand";
import type { Area, Incoming, Reading } from "../api/incoming";
import type { Inputs, SheetDoc, Street } from "../api/own";
import type { GradeLook } from "../map/view";

export const STAGES = ["sources", "streets", "modes", "sheet", "handout"] as const;
export type Stage = (typeof STAGES)[number];
export type Run = {
  job: string | null;
  progress: number;
  message: string;
  secondsLeft: number | null;
  error: string | null;
  stopped: boolean;
};
/** A word of a question that waits for a click on the map. */
export type Picking = { question: string; slot: string } | null;
export type Theme = "light" | "dark";

/** A file under consideration, and what of it is wanted: what is off is off for good. */
export type Intake = { incoming: Incoming; without: string[]; area: Area | null } & Reading;
/** What is being drawn on the map. */
export type Drawing = { kind: "box" | "outline"; done: (area: Polygon) => void } | null;

export type Colour = "use" | "speed" | "source" | "slope" | "delay" | "beside";

type Screen = {
  study: string | null;
  stage: Stage;
  theme: Theme;
  mode: string;
  question: string | null;
  editing: { question: string; slot: string } | null;
  picking: Picking;
  runs: Record<string, Run>;
  /** Inputs of the selected question while something is dragged. */
  live: { question: string; inputs: Inputs } | null;
  hidden: Record<string, boolean>;
  /** The selected row of the answer's table, by its name. */
  row: string | null;
  street: Street | null;
  notice: string | null;
  trayHeight: number;
  /** Files that were dropped and not looked into yet. */
  queue: File[];
  intake: Intake | null;
  drawing: Drawing;
  /** The layer that is looked at in Sources, and which of its features are selected. */
  layer: string | null;
  chosen: number[];
  /** The attribute lettered along links. */
  label: string | null;
  /** What the streets are coloured by in the stage Modes. */
  colour: Colour;
  /** The mode that is looked at beside the chosen one. */
  beside: string | null;
  /** Corners of the line that is measured on the map; null while nothing is. */
  measuring: [number, number][] | null;
  /** A way that is drawn over the answer: to the street that was clicked. */
  way: Feature | null;
  /** Another question whose answer is drawn in outline over the selected one. */
  overlaid: string | null;
  /** How opaque the areas of answers are, from a fifth to 1. */
  opacity: number;
  /** What zones of an answer are coloured by (null: what leads it), and how their classes are made. */
  zoneLook: GradeLook;
  /** The minute on the curve of an answer at which zones are shown; null while its own limits are. */
  minute: number | null;
  /** Where the map is to look next. */
  goTo: [number, number] | null;
  /** Brings the map back to where it was before it went to an answer; null where it did not. */
  goBack: (() => void) | null;
  /** The sheet as somebody else has changed it while it was changed here; null where nobody has. */
  conflict: SheetDoc | null;
  /** Whether an undone change of the sheet can be made again. */
  redoable: boolean;
  /** The hour shown in the stage Modes, null for free flow. */
  at: string | null;
  set: (part: Partial<Screen>) => void;
  setRun: (question: string, run: Partial<Run> | null) => void;
  toggle: (key: string) => void;
};

const IDLE: Run = { job: null, progress: 0, message: "", secondsLeft: null, error: null, stopped: false };

function storedTheme(): Theme {
  try {
    return localStorage.getItem("awl-theme") === "dark" ? "dark" : "light";
  } catch {
    return "light";
  }
}

export const useScreen = create<Screen>((set) => ({
  study: null,
  stage: "sheet",
  theme: storedTheme(),
  mode: "walk",
  question: null,
  editing: null,
  picking: null,
  runs: {},
  live: null,
  hidden: { numbers: true, "link-numbers": true, unserved: true },
  row: null,
  street: null,
  notice: null,
  trayHeight: 222,
  queue: [],
  intake: null,
  drawing: null,
  layer: null,
  chosen: [],
  label: null,
  colour: "use",
  beside: null,
  at: null,
  measuring: null,
  goTo: null,
  goBack: null,
  way: null,
  overlaid: null,
  opacity: 1,
  zoneLook: { field: null, classing: "equal", own: null },
  minute: null,
  conflict: null,
  redoable: false,
  set: (part) => set(part),
  setRun: (question, run) =>
    set((screen) => {
      const runs = { ...screen.runs };
      if (run === null) delete runs[question];
      else runs[question] = { ...(runs[question] ?? IDLE), ...run };
      return { runs };
    }),
  toggle: (key) => set((screen) => ({ hidden: { ...screen.hidden, [key]: !screen.hidden[key] } })),
}));

/** The theme is set on the document at once, before anything reads a token of it. */
function applyTheme({ theme }: { theme: Theme }): void {
  document.documentElement.dataset.theme = theme;
  try {
    localStorage.setItem("awl-theme", theme);
  } catch {
    // The theme is not kept where the browser forbids it.
  }
}
applyTheme(useScreen.getState());
useScreen.subscribe(applyTheme);

/** Read study and stage from the address, `#/ferrow/sheet`. */
export function followAddress(): void {
  const [, study, stage] = location.hash.slice(1).split("/");
  const known = STAGES.find((name) => name === stage);
  const now = useScreen.getState();
  const changed = (study || null) !== now.study;
  useScreen.setState({
    study: study ? decodeURIComponent(study) : null,
    stage: known ?? "sheet",
    street: null,
    picking: null,
    drawing: null,
    ...(changed ? { question: null, editing: null, runs: {}, row: null, minute: null, live: null, layer: null, chosen: [], label: null, measuring: null, redoable: false, conflict: null, way: null, overlaid: null } : {}),
  });
}

export function go(study: string | null, stage: Stage = "sheet"): void {
  location.hash = study ? `/${encodeURIComponent(study)}/${stage}` : "/";
}
