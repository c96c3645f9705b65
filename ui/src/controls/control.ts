/** What a control is given: the word it changes, where it stands, and how a change is told. */
import type { Inputs, ProcessInfo, Slot } from "../api/inputs";
import type { Overview } from "../api/studies";
import type { QuestionBlock } from "../state/sheet";

export type ControlProps = {
  block: QuestionBlock;
  process: ProcessInfo;
  overview: Overview;
  /** The input, and its value or default. */
  name: string;
  slot: Slot;
  value: unknown;
  /** Give the input another value; undefined leaves it out. */
  put: (value: unknown) => void;
  /** Change several inputs at once. */
  putAll: (inputs: Inputs) => void;
};
