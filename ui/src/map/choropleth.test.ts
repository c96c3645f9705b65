import { describe, expect, it } from "vitest";
import { setTokens, TOKENS } from "../testing/fixtures";
import { breaks, classOf, classWords, ownLimits } from "./choropleth";
import { changeRamp, shareRamp } from "./look";

describe("classes of a choropleth", () => {
  const values = [1, 2, 3, 4, 5, 6, 7, 8, 9, 100];
  it("have equal steps, or as many zones each, or follow the gaps", () => {
    expect(breaks(values, "equal")).toEqual([1, 20.8, 40.6, 60.4, 80.2, 100].map((v) => expect.closeTo(v) as number));
    const quantile = breaks(values, "quantile");
    const counts = values.reduce<number[]>((sum, value) => { const at = classOf(value, quantile); sum[at] = (sum[at] ?? 0) + 1; return sum; }, []);
    expect(counts).toEqual([2, 2, 2, 2, 2]);
    expect(breaks([1, 1.1, 1.2, 9, 9.1, 50, 51, 80, 81, 120], "natural")).toEqual([1, 9, 50, 80, 120]);
  });
  it("keep shares at round limits unless another way is chosen", () => {
    expect(breaks([3, 97], "equal", [0, 20, 40, 60, 80, 100])).toEqual([0, 20, 40, 60, 80, 100]);
    expect(breaks([3, 97], "quantile", [0, 20])[0]).toBe(3);
  });
  it("hold every value once, the greatest in the last", () => {
    expect(classOf(100, [0, 20, 40, 60, 80, 100])).toBe(4);
    expect(classOf(20, [0, 20, 40])).toBe(1);
    expect(classOf(null, [0, 1])).toBe(-1);
    expect(classOf(5, breaks([5, 5, 5], "natural"))).toBe(0);
  });
  it("are named with a unit and no more digits than they need", () => {
    expect(classWords([0, 20, 40], 1, "%")).toBe("20 to 40%");
    expect(classWords([0, 0.25, 0.5], 0, "")).toBe("0.000 to 0.250");
  });
});

describe("limits of one's own", () => {
  it("ascend and are at least two", () => {
    expect(ownLimits("0, 25 50;100")).toEqual([0, 25, 50, 100]);
    expect(ownLimits("5")).toBeNull();
    expect(ownLimits("5, 5")).toBeNull();
    expect(ownLimits("5, ten")).toBeNull();
    expect(ownLimits("-5, -1, 2")).toEqual([-5, -1, 2]);
  });
  it("keep a tenth among large ones", () => expect(classWords([-100, -0.5, 0.5, 100], 0, "")).toBe("−100 to −0.5"));
});

it("ramps have as many steps as asked for, a change none that two share", () => {
  setTokens(TOKENS);
  expect(shareRamp(3)).toHaveLength(3);
  expect(new Set(changeRamp(7)).size).toBe(7);
});
