import { describe, expect, it } from "vitest";
import { runsInView, runsOf } from "./runs";

/** Lines of two vertices, 100 to a side, of three classes in turn. */
const side = 100;
const count = side * side;
const xy = new Float32Array(count * 4);
const start = new Uint32Array(count + 1);
const classOf = new Int32Array(count);
for (let i = 0; i < count; i++) {
  xy.set([i % side, Math.floor(i / side), (i % side) + 0.5, Math.floor(i / side) + 0.5], i * 4);
  start[i + 1] = 2 * (i + 1);
  classOf[i] = i % 3;
}
const runs = runsOf({ count, classOf, start, xy }, [2, 3, 1]);
const drawn = (shown: (of: number) => boolean, view: [number, number, number, number]) =>
  runsInView(runs, shown, view).flatMap(([begin, many]) => runs.order.slice(begin, begin + many));

describe("runs of lines", () => {
  it("hold every line once, minor classes first", () => {
    expect(new Set(runs.order).size).toBe(count);
    const ranks = runs.order.map((line) => [1, 2, 0][classOf[line] ?? 0] ?? 0);
    expect(ranks.every((rank, i) => i === 0 || rank >= (ranks[i - 1] ?? 0))).toBe(true);
  });
  it("are one for each class where everything is in view", () => {
    expect(runsInView(runs, () => true, [-1, -1, 200, 200])).toEqual([[0, count]]);
    expect(drawn((of) => of === 1, [-1, -1, 200, 200]).every((line) => classOf[line] === 1)).toBe(true);
  });
  it("hold all that touches the view and little else", () => {
    const view: [number, number, number, number] = [40, 40, 50, 50];
    const found = new Set(drawn(() => true, view));
    for (let i = 0; i < count; i++) {
      const touches = (xy[4 * i] ?? 0) <= 50 && (xy[4 * i + 2] ?? 0) >= 40 && (xy[4 * i + 1] ?? 0) <= 50 && (xy[4 * i + 3] ?? 0) >= 40;
      if (touches) expect(found.has(i)).toBe(true);
    }
    expect(found.size).toBeLessThan(count / 10);
    expect(drawn(() => true, [500, 500, 600, 600])).toEqual([]);
  });
});
