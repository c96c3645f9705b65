/** What is being made in stage Handout: the sheet of paper that is looked at. */
import type { Slice } from "./slice";

export type Paper = {
  answer: string;
  paper: "A5" | "A4" | "A3" | "A2";
  orientation: "landscape" | "portrait";
  colour: "colour" | "grey";
  /** 1:this; null where the answer fills the map. */
  scale: number | null;
  title: string;
  legend: boolean;
  method: boolean;
};

export type HandoutState = {
  paper: Paper | null;
  /** Blocks of the sheet that the report leaves out, while it is looked at; null while it is not. */
  leftOut: string[] | null;
  /** The form that is made, and shown in the place of the map. */
  form: string | null;
  openForm: (form: string | null) => void;
  /** Show the report in the place of the map; null puts it away. */
  report: (leftOut: string[] | null) => void;
  /** Lay a sheet of paper in the place of the map, or change it; null takes it away. */
  layOut: (paper: Paper | null) => void;
};

export const NO_PAPER = { paper: null, leftOut: null, form: null } satisfies Partial<HandoutState>;

export const handout: Slice<HandoutState> = (set) => ({ ...NO_PAPER, layOut: (paper) => set({ ...NO_PAPER, paper }), report: (leftOut) => set({ ...NO_PAPER, leftOut }), openForm: (form) => set({ ...NO_PAPER, form }) });
