/** What the page does with a study's sheet on the server: saves, each over the version before it, questions that are asked, and what two who change it at once make together. */
import type { QueryClient } from "@tanstack/react-query";
import type { SheetBody, SheetDoc } from "../api/studies";
import { Asked } from "./asked";

export class SheetSync {
  /** The sheet as the server had it last. */
  base: SheetDoc | null = null;
  /** How many changes were made here. */
  edits = 0;
  /** Sheets that were undone, the last one last; a change of one's own ends them. */
  undone: SheetDoc[] = [];
  readonly asked = new Asked();
  private last: Promise<void> = Promise.resolve();

  /** Do something once all that was begun before is done. */
  queue(work: () => Promise<void>): Promise<void> {
    this.last = this.last.then(work, work);
    return this.last;
  }
}

const syncs = new WeakMap<QueryClient, Map<string, SheetSync>>();

/** What the page knows of the saves and the runs of a study's sheet. */
export function syncOf(queries: QueryClient, study: string, sheet: string): SheetSync {
  const known = syncs.get(queries) ?? new Map<string, SheetSync>();
  syncs.set(queries, known);
  const key = `${study}/${sheet}`;
  const sync = known.get(key) ?? new SheetSync();
  known.set(key, sync);
  return sync;
}

const same = (one: unknown, other: unknown) => JSON.stringify(one) === JSON.stringify(other);

/** My sheet and theirs as one: of each block, blank and form the version that was changed since the base; mine where both were. */
export function combined(base: SheetDoc, mine: SheetDoc, theirs: SheetDoc): SheetBody {
  return {
    title: mine.title === base.title ? theirs.title : mine.title,
    blocks: together(base.blocks, mine.blocks, theirs.blocks, ({ id }) => id),
    blanks: together(base.blanks, mine.blanks, theirs.blanks, ({ name }) => name),
    forms: together(base.forms, mine.forms, theirs.forms, ({ id }) => id),
  };
}

/** Two lists that come from one, as one; `name` tells their members apart. */
function together<T>(base: T[], mine: T[], theirs: T[], name: (one: T) => string): T[] {
  const of = (list: T[], wanted: string) => list.find((one) => name(one) === wanted);
  const joined = theirs.flatMap((one) => {
    const before = of(base, name(one));
    const here = of(mine, name(one));
    if (!here) return before && same(before, one) ? [] : [one]; // I took it out, or they brought it
    return [same(here, before) ? one : here];
  });
  mine.forEach((one, at) => {
    if (of(theirs, name(one))) return;
    if (same(one, of(base, name(one)))) return; // they took it out
    const previous = mine.slice(0, at).reverse().find((other) => of(joined, name(other)));
    joined.splice(previous ? joined.findIndex((other) => name(other) === name(previous)) + 1 : 0, 0, one);
  });
  return joined;
}
