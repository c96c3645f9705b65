/** Changes to the blocks of a sheet, as plain functions from list to list. */
import { t } from "@lingui/core/macro";
import type { Block } from "../api/studies";

export const freshId = (kind: string) => `${kind}${Date.now().toString(36)}${Math.floor(Math.random() * 1296).toString(36)}`;

/** Put a block after another one, at the end where that is not there. */
export function insertedAfter(blocks: Block[], after: string | null, block: Block): Block[] {
  const at = blocks.findIndex(({ id }) => id === after);
  return at < 0 ? [...blocks, block] : [...blocks.slice(0, at + 1), block, ...blocks.slice(at + 1)];
}

/** Move a block up or down by one; at the edge it stays. */
export function shifted(blocks: Block[], id: string, by: 1 | -1): Block[] {
  const at = blocks.findIndex((block) => block.id === id);
  const [one, other] = [blocks[at], blocks[at + by]];
  if (!one || !other) return blocks;
  return blocks.map((block, i) => (i === at ? other : i === at + by ? one : block));
}

export const without = (blocks: Block[], id: string): Block[] => blocks.filter((block) => block.id !== id);

export const replaced = (blocks: Block[], block: Block): Block[] => blocks.map((old) => (old.id === block.id ? block : old));

/** Inks of questions, in turn: its number in the sheet, and its answer where it is drawn over another. */
const INKS = ["--b1", "--place", "--mode", "--time", "--amount", "--b2", "--good", "--b3"];

/** The ink of the nth question, counted from one. */
export const inkOf = (number: number): string => INKS[(number - 1) % INKS.length] ?? "--ink";

/** A list with one of its members moved by some places. */
export function moved<T>(list: T[], row: number, by: number): T[] {
  const next = [...list];
  const [one] = next.splice(row, 1);
  if (one !== undefined) next.splice(Math.max(row + by, 0), 0, one);
  return next;
}

/** What each question is called in the words of another one. */
export function questionNames(blocks: Block[]): Record<string, string> {
  const questions = blocks.filter((block) => block.kind === "question");
  return Object.fromEntries(questions.map((block, i) => [block.id, block.title ? `'${block.title}'` : t`answer ${i + 1}`]));
}
