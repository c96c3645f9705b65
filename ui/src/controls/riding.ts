/** Questions by public transport: which modes ride, which words they have, and the hour they begin with. */
import type { Inputs, ProcessInfo } from "../api/inputs";
import type { ModeInfo, Overview } from "../api/studies";
import { momentOf } from "../common/moments";

/** Whether the mode of a question rides by public transport. */
export const rides = (modes: ModeInfo[], inputs: Inputs): boolean => !!modes.find(({ id }) => id === (inputs.mode ?? "walk"))?.document.transit;

/** A question as it is worded for a mode: some words mean something by public transport alone, others nothing there. */
export function wordedFor(process: ProcessInfo, modes: ModeInfo[], inputs: Inputs): ProcessInfo {
  const riding = rides(modes, inputs);
  const words = process["x-awl"];
  const slots = Object.fromEntries(Object.entries(words.slots).filter(([, { transit }]) => (transit ?? riding) === riding));
  const said = (text: string) => text.replace(/, \{(\w+)\}/g, (part, name: string) => (name in words.slots && !(name in slots) ? "" : part));
  return { ...process, "x-awl": { ...words, slots, sentences: words.sentences.map((one) => ({ ...one, text: said(one.text) })) } };
}

/** Eight in the morning of a usual weekday of the timetable. */
export function usualMorning({ timetables }: Overview): string {
  const day = timetables[0]?.summary.typical_days.weekday;
  return day ? `${day}${momentOf("weekday", 8).slice(10)}` : momentOf("weekday", 8);
}
