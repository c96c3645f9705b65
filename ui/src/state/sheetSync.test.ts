import { QueryClient } from "@tanstack/react-query";
import { describe, expect, it } from "vitest";
import type { Block, SheetDoc } from "../api/studies";
import { combined, syncOf } from "./sheetSync";

const note = (id: string, text = id): Block => ({ id, kind: "prose", text });
const sheet = (title: string, ...blocks: Block[]): SheetDoc => ({ id: "main", title, blocks, blanks: [], forms: [], undo: 0, changed: "" });
const ids = (made: { blocks: Block[] }) => made.blocks.map(({ id }) => id).join(" ");

describe("two sheets changed at once", () => {
  const base = sheet("Plan", note("a"), note("b"), note("c"));
  it("keep what either has changed, brought and taken out", () => {
    const mine = sheet("Plan", note("a", "mine"), note("b"), note("new"), note("c"));
    const theirs = sheet("Their plan", note("a"), note("b", "theirs"), note("d"));
    const whole = combined(base, mine, theirs);
    expect(whole.title).toBe("Their plan");
    expect(ids(whole)).toBe("a b new d");
    expect(whole.blocks.slice(0, 2)).toEqual([note("a", "mine"), note("b", "theirs")]);
  });
  it("keep mine where both changed the same", () => {
    const whole = combined(base, sheet("Mine", note("a", "mine"), note("b"), note("c")), sheet("Theirs", note("a", "theirs"), note("b"), note("c")));
    expect(whole.title).toBe("Mine");
    expect(whole.blocks[0]).toEqual(note("a", "mine"));
  });
  it("keep a block that one took out and the other changed", () => {
    expect(ids(combined(base, sheet("Plan", note("a"), note("c")), sheet("Plan", note("a"), note("b", "theirs"), note("c"))))).toBe("a b c");
    expect(ids(combined(base, sheet("Plan", note("a"), note("b", "mine"), note("c")), sheet("Plan", note("a"), note("c"))))).toBe("a b c");
    expect(ids(combined(base, sheet("Plan", note("a"), note("c")), base))).toBe("a c");
  });
});

describe("saves", () => {
  it("go out one after another, also after one that failed", async () => {
    const sync = syncOf(new QueryClient(), "ferrow", "main");
    const seen: number[] = [];
    let open = () => undefined as void;
    const first = sync.queue(async () => {
      await new Promise<void>((done) => (open = done));
      seen.push(1);
      throw new Error("lost");
    });
    const second = sync.queue(() => Promise.resolve(void seen.push(2)));
    await Promise.resolve();
    expect(seen).toEqual([]);
    open();
    await expect(first).rejects.toThrow("lost");
    await second;
    expect(seen).toEqual([1, 2]);
  });
  it("are those of one study", () => {
    const queries = new QueryClient();
    expect(syncOf(queries, "a", "main")).toBe(syncOf(queries, "a", "main"));
    expect(syncOf(queries, "a", "main")).not.toBe(syncOf(queries, "b", "main"));
    expect(syncOf(queries, "a", "main")).not.toBe(syncOf(queries, "a", "second"));
  });
});
