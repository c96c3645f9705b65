import { describe, expect, it } from "vitest";
import type { Block } from "../api/studies";
import { inkOf, insertedAfter, moved, replaced, shifted, without } from "./blocks";

const note = (id: string, text = id): Block => ({ id, kind: "prose", text });
const sheet = [note("a"), note("b"), note("c")];
const ids = (blocks: Block[]) => blocks.map(({ id }) => id).join("");

describe("blocks of a sheet", () => {
  it("are put in after another one, or at the end", () => {
    expect(ids(insertedAfter(sheet, "a", note("x")))).toBe("axbc");
    expect(ids(insertedAfter(sheet, null, note("x")))).toBe("abcx");
    expect(ids(insertedAfter(sheet, "gone", note("x")))).toBe("abcx");
  });
  it("move by one and stay at the edge", () => {
    expect(ids(shifted(sheet, "b", -1))).toBe("bac");
    expect(ids(shifted(sheet, "b", 1))).toBe("acb");
    expect(shifted(sheet, "a", -1)).toBe(sheet);
    expect(shifted(sheet, "c", 1)).toBe(sheet);
    expect(shifted(sheet, "gone", 1)).toBe(sheet);
  });
  it("are replaced and removed by their id, and the former list stays", () => {
    expect(replaced(sheet, note("b", "new"))[1]).toEqual(note("b", "new"));
    expect(ids(without(sheet, "b"))).toBe("ac");
    expect(ids(sheet)).toBe("abc");
  });
  it("points of a word move likewise", () => {
    expect(moved([1, 2, 3], 2, -1)).toEqual([1, 3, 2]);
    expect(moved([1, 2, 3], 0, -1)).toEqual([1, 2, 3]);
    expect(moved([1], 4, -1)).toEqual([1]);
  });
  it("have inks in turn", () => {
    const inks = Array.from({ length: 8 }, (_, i) => inkOf(i + 1));
    expect(new Set(inks).size).toBe(8);
    expect(inkOf(9)).toBe(inks[0]);
  });
});
