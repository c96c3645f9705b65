/** Kinds of lines of public transport, by their names and in words. */
import { t } from "@lingui/core/macro";

// eslint-disable-next-line lingui/no-unlocalized-strings -- words of the interface to programs
export const KINDS = ["bus", "tram", "metro", "train", "ferry", "trolleybus", "funicular", "aerial lift"];

/** A kind of line in words. */
export function kindWord(kind: string): string {
  const words: Record<string, string> = { bus: t`bus`, tram: t`tram`, metro: t`metro`, train: t`train`, ferry: t`ferry`, trolleybus: t`trolleybus`, funicular: t`funicular`, "aerial lift": t`aerial lift` };
  return words[kind] ?? kind;
}
