import { describe, expect, it } from "vitest";
import type { Packed } from "../api/packed";
import { NodesInView, nodesOf, type GraphNodes } from "./nodes";

const streets = {
  head: {},
  arrays: [...Array.from({ length: 7 }, () => new Uint8Array()), new Uint8Array([0, 1, 0]), new Float64Array([1, 50, 3]), new Float64Array([1, 50, 3]), new Float64Array([1001, 1002, 1003])],
} as unknown as Packed;
const both: GraphNodes = { streets, plain: true, border: true };
const numbers = (points: ReturnType<typeof nodesOf>) => points.features.map(({ properties }) => properties?.number as number);

describe("nodes of streets", () => {
  it("have the numbers the study knows them by", () => {
    expect(nodesOf({ ...both, border: false }).features.map(({ properties }) => properties)).toEqual([{ border: false, number: 1001 }, { border: false, number: 1003 }]);
    expect(numbers(nodesOf({ ...both, plain: false }))).toEqual([1002]);
  });
  it("are drawn where they are in view, border nodes everywhere", () => {
    expect(numbers(nodesOf(both, [0, 0, 2, 2]))).toEqual([1001, 1002]);
    expect(numbers(nodesOf(both, null))).toEqual([1002]);
  });
  it("stay the same while the view stays inside what they were made for", () => {
    const view = new NodesInView();
    const first = view.of(both, [0, 0, 2, 2], 16);
    expect(numbers(first)).toEqual([1001, 1002, 1003]);
    expect(view.of(both, [0.5, 0.5, 2.5, 2.5], 16)).toBe(first);
    expect(numbers(view.of(both, [-5, -5, -3, -3], 16))).toEqual([1002]);
    const far = view.of(both, [-90, -80, 90, 80], 9);
    expect(numbers(far)).toEqual([1002]);
    expect(view.of(both, [-9, -8, 9, 8], 10)).toBe(far);
    expect(numbers(view.of({ ...both, border: false }, [-9, -8, 9, 8], 10))).toEqual([]);
  });
});
