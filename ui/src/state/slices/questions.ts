/** The sheet on the screen: which question is selected, what of it is changed, and what runs. */
import type { Feature } from "geojson";
import type { Inputs } from "../../api/inputs";
import type { SheetDoc } from "../../api/studies";
import type { GradeLook } from "../../map/view";
import type { Frame } from "./frame";
import type { MapView } from "./mapView";
import { NO_MOMENT, type Moments } from "./moments";
import type { Slice } from "./slice";

export type Run = {
  job: string | null;
  progress: number;
  message: string;
  secondsLeft: number | null;
  error: string | null;
  stopped: boolean;
};
/** A word of a question that waits for a click on the map; `path` leads to its points where they are not the word itself. */
export type Picking = { question: string; slot: string; path?: string[] };

/** How answers are compared on the map: one map of differences, two maps, or one over the other with a line between. */
export type Apart = "difference" | "beside" | "slider";

export type Questions = {
  question: string | null;
  editing: { question: string; slot: string } | null;
  picking: Picking | null;
  runs: Record<string, Run>;
  /** Inputs of the selected question while something is dragged. */
  live: { question: string; inputs: Inputs } | null;
  /** The selected row of the answer's table, by its name. */
  row: string | null;
  /** The minute on the curve of an answer at which zones are shown; null while its own limits are. */
  minute: number | null;
  /** What an answer is coloured by (null: what leads it), and how its classes are made. */
  gradeLook: GradeLook;
  /** The question whose answer is being compared with another one. */
  comparing: string | null;
  apart: Apart;
  /** Which of several answers stands beside the first, counted from 1. */
  second: number;
  /** Another question whose answer is drawn in outline over the selected one. */
  overlaid: string | null;
  /** A path that is drawn over the answer: to the street that was clicked. */
  way: Feature | null;
  /** The sheet as somebody else has changed it while it was changed here; null where nobody has. */
  conflict: SheetDoc | null;
  /** Whether an undone change of the sheet can be made again. */
  redoable: boolean;
  selectQuestion: (question: string | null) => void;
  /** Open the editor of a word of the selected question; null closes it. */
  edit: (slot: string | null) => void;
  /** Wait for a click on the map; null waits no longer. */
  pick: (picking: Picking | null) => void;
  setRun: (question: string, run: Partial<Run> | null) => void;
  drag: (live: Questions["live"]) => void;
  selectRow: (row: string | null) => void;
  showMinute: (minute: number | null) => void;
  gradeBy: (look: GradeLook) => void;
  overlay: (question: string | null) => void;
  compareWith: (question: string | null) => void;
  showApart: (apart: Apart, second?: number) => void;
  showWay: (way: Feature | null) => void;
  setConflict: (conflict: SheetDoc | null) => void;
  setRedoable: (redoable: boolean) => void;
};

const IDLE: Run = { job: null, progress: 0, message: "", secondsLeft: null, error: null, stopped: false };
const PLAIN: GradeLook = { field: null, classing: "equal", own: null };

export const NO_QUESTION = {
  question: null, editing: null, picking: null, runs: {}, live: null, row: null, minute: null, gradeLook: PLAIN, comparing: null, apart: "difference", second: 1, overlaid: null, way: null, conflict: null, redoable: false,
} satisfies Partial<Questions>;

export const questions: Slice<Questions, Pick<MapView, "street"> & Pick<Frame, "notice"> & Pick<Moments, "moment" | "running">> = (set) => ({
  ...NO_QUESTION,
  selectQuestion: (question) =>
    set((screen) => ({
      question,
      street: null,
      row: null,
      minute: null,
      ...(question === screen.question ? {} : { ...NO_MOMENT, editing: null, picking: null, way: null, gradeLook: PLAIN, second: 1, comparing: null }),
    })),
  edit: (slot) => set(({ question }) => ({ editing: question && slot ? { question, slot } : null, picking: null })),
  pick: (picking) => set({ picking }),
  setRun: (question, run) =>
    set((screen) => {
      const runs = { ...screen.runs };
      if (run === null) delete runs[question];
      else runs[question] = { ...(runs[question] ?? IDLE), ...run };
      return { runs };
    }),
  drag: (live) => set({ live }),
  selectRow: (row) => set({ row, street: null, notice: null }),
  showMinute: (minute) => set({ minute }),
  gradeBy: (gradeLook) => set({ gradeLook }),
  overlay: (overlaid) => set({ overlaid }),
  compareWith: (comparing) => set({ comparing, editing: null }),
  showApart: (apart, second) => set(second === undefined ? { apart } : { apart, second }),
  showWay: (way) => set({ way }),
  setConflict: (conflict) => set({ conflict }),
  setRedoable: (redoable) => set({ redoable }),
});
