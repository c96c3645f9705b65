import { describe, expect, it } from "vitest";
import { lineLength, loadSteps } from "./shapes";

describe("shapes made for the map", () => {
  it("have their length on the sphere", () => {
    expect(lineLength([[0, 0], [0, 1]])).toBeCloseTo(111_195, -1);
    expect(lineLength([[0, 60], [1, 60]]) / lineLength([[0, 0], [1, 0]])).toBeCloseTo(0.5, 3);
    expect(lineLength([[3, 3]])).toBe(0);
  });
  it("have round steps of width", () => {
    expect(loadSteps(1)).toEqual([1]);
    expect(loadSteps(37)).toEqual([20, 5, 1]);
  });
});
