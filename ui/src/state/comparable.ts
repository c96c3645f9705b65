/** Which answers can be compared with each other. */
import type { Block, KeptCopy } from "../api/studies";
import type { QuestionBlock } from "./sheet";

/** The question that compares answers. */
export const COMPARE = "compare";
export type Comparable = { id: string; process: string; title?: string | undefined };

/** Answers that can be compared, those of a question alone where one is named: of the sheet, then those kept as they stood. */
export function comparable(blocks: Block[], copies: KeptCopy[], process: string | null): Comparable[] {
  const asked = blocks.filter((block): block is QuestionBlock => block.kind === "question" && block.process !== COMPARE);
  const every: Comparable[] = [...asked.map(({ id, process: own, title }) => ({ id, process: own, title })), ...copies];
  return every.filter((one) => process === null || one.process === process);
}
