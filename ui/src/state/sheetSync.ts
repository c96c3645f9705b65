/** Saves of a study's sheet: one after another, each over the version before it, and what two who change it at once make together. */
import type { QueryClient } from "@tanstack/react-query";
import type { Block, SheetDoc } from "../api/studies";

export class SheetSync {
  /** The sheet as the server had it last. */
  base: SheetDoc | null = null;
  /** How many changes were made here. */
  edits = 0;
  /** Sheets that were undone, the last one last; a change of one's own ends them. */
  undone: SheetDoc[] = [];
  private last: Promise<void> = Promise.resolve();

  /** Do something once all that was begun before is done. */
  queue(work: () => Promise<void>): Promise<void> {
    this.last = this.last.then(work, work);
    return this.last;
  }
}

const syncs = new WeakMap<QueryClient, Map<string, SheetSync>>();

/** What the page knows of a study's saves. */
export function syncOf(queries: QueryClient, study: string): SheetSync {
  const known = syncs.get(queries) ?? new Map<string, SheetSync>();
  syncs.set(queries, known);
  const sync = known.get(study) ?? new SheetSync();
  known.set(study, sync);
  return sync;
}

const same = (one: Block | undefined, other: Block | undefined) => JSON.stringify(one) === JSON.stringify(other);

/** My sheet and theirs as one: of each block the version that was changed since the base; mine where both were. */
export function combined(base: SheetDoc, mine: SheetDoc, theirs: SheetDoc): { title: string; blocks: Block[] } {
  const of = (sheet: SheetDoc, id: string) => sheet.blocks.find((block) => block.id === id);
  const blocks = theirs.blocks.flatMap((block) => {
    const before = of(base, block.id);
    const here = of(mine, block.id);
    if (!here) return before && same(before, block) ? [] : [block]; // I took it out, or they brought it
    return [same(here, before) ? block : here];
  });
  mine.blocks.forEach((block, at) => {
    if (of(theirs, block.id)) return;
    if (same(block, of(base, block.id))) return; // they took it out
    const previous = mine.blocks.slice(0, at).reverse().find(({ id }) => blocks.some((known) => known.id === id));
    blocks.splice(previous ? blocks.findIndex(({ id }) => id === previous.id) + 1 : 0, 0, block);
  });
  return { title: mine.title === base.title ? theirs.title : mine.title, blocks };
}
