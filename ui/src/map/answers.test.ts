import { beforeAll, describe, expect, it } from "vitest";
import type { LayerInfo } from "../api/own";
import { answerOf, question, setTokens, square, TOKENS } from "../testing/fixtures";
import { alongsideShown, lineLength, loadSteps, loadWidth, measureShown, neighboursShown, overlaidShown, tripsShown } from "./answers";
import type { MapContent } from "./content";

const empty = (): MapContent => ({ overlays: {}, streets: { kind: "plain" }, groups: [], bandCount: 3, order: [] });
const set = (...features: object[]) => ({ type: "FeatureCollection", features });

beforeAll(() => setTokens({ ...TOKENS, "--thread": "#046173", "--thread-wash": "#dceef1", "--place-wash": "#e4eed6", "--amount-wash": "#f8ead2" }));

describe("trips", () => {
  const answer = answerOf(question("q", "trips", {}), { load: set(square(0, { trips: 400 }), square(1, { trips: 1 })) });
  it("draw streets by their load, the busiest last and widest", () => {
    const content = empty();
    tripsShown(content, answer, {}, null);
    const widths = content.overlays.owned?.features.map(({ properties }) => properties?.width as number) ?? [];
    expect(widths[0]).toBeLessThan(widths[1] ?? 0);
    expect(widths[1]).toBeCloseTo(loadWidth(400, 400));
    expect(content.groups[0]?.rows.map(({ label }) => label)).toEqual(["200 trips", "50 trips", "10 trips", "1 trip"]);
  });
  it("draw the way of the chosen one", () => {
    const content = empty();
    tripsShown(content, answer, { load: true }, square(3, {}));
    expect(content.overlays.owned).toBeUndefined();
    expect(content.overlays.routes?.features).toHaveLength(1);
  });
  it("have round steps in the legend", () => {
    expect(loadSteps(1)).toEqual([1]);
    expect(loadSteps(37)).toEqual([20, 5, 1]);
  });
});

describe("what stands along", () => {
  const layers = [{ id: "parcels", title: "Parcels" }, { id: "buildings", title: "Buildings" }] as LayerInfo[];
  const answer = answerOf(question("q", "alongside", { layers: [{ layer: "parcels" }, { layer: "buildings" }] }), {
    strip: set(square(0, {})), streets: set(), events: set(), parcels: set(square(0, { fid: 1 }), square(1, { fid: 2 })), buildings: set(square(0, { fid: 7 })),
  });
  it("is drawn layer upon layer and counted in the legend", () => {
    const content = empty();
    alongsideShown(content, answer, layers, {}, "7");
    expect(content.overlays.found?.features).toHaveLength(3);
    expect(content.overlays.selection?.features).toHaveLength(1);
    expect(content.groups[0]?.rows.filter(({ key }) => key.startsWith("along-")).map(({ label, count }) => [label, count])).toEqual([["Parcels", 2], ["Buildings", 1]]);
  });
  it("leaves out what the legend switches off", () => {
    const content = empty();
    alongsideShown(content, answer, layers, { "along-parcels": true, strip: true }, null);
    expect(content.overlays.found?.features).toHaveLength(1);
    expect(content.overlays.areas).toBeUndefined();
  });
});

describe("neighbours", () => {
  const place = (name: string, count: number) => square(0, { name, within_15: count });
  const answer = answerOf(question("q", "neighbours", { limits: [5, 15] }), { places: set(place("A", 0), place("B", 4), place("C", 10)) });
  it("are graded by their number, and the classes hold every place once", () => {
    const content = empty();
    neighboursShown(content, answer, {}, "B");
    expect(content.overlays.graded?.features.map(({ properties }) => properties?.radius as number)).toEqual([4, 5, 8]);
    expect(content.overlays.graded?.features.map(({ properties }) => properties?.chosen as boolean)).toEqual([false, true, false]);
    const rows = content.groups[0]?.rows ?? [];
    expect(rows.reduce((sum, { count }) => sum + (count ?? 0), 0)).toBe(3);
    expect(rows.map(({ label }) => label)).toEqual(["0 to 2", "3 to 4", "5 to 6", "7 to 8", "9 to 10"]);
  });
});

describe("measuring", () => {
  it("takes the length on the sphere", () => {
    expect(lineLength([[0, 0], [0, 1]])).toBeCloseTo(111_195, -1);
    expect(lineLength([[0, 60], [1, 60]]) / lineLength([[0, 0], [1, 0]])).toBeCloseTo(0.5, 3);
    expect(lineLength([[3, 3]])).toBe(0);
  });
  it("says what to do, then the length", () => {
    const content = empty();
    measureShown(content, []);
    expect(content.groups[0]?.rows[0]?.label).toMatch(/Click/);
    measureShown(content, [[0, 0], [0, 0.001], [0, 0.002]]);
    expect(content.groups[0]?.rows[0]?.label).toBe("222 m");
    expect(content.overlays.selection?.features).toHaveLength(1);
  });
});

describe("another answer over the selected one", () => {
  it("is drawn by its first result that has an outline, in the ink of its question", () => {
    const content = empty();
    overlaidShown(content, answerOf(question("q", "catchment", {}), { routes: set(), areas: set(square(0, { a: 1 })) }), "answer 2", "--place");
    expect(content.overlays.overlaid?.features.map(({ properties }) => properties)).toEqual([{ colour: "#3f5c18" }]);
    expect(content.groups[0]?.note).toBeUndefined();
  });
  it("says so where there is nothing to draw", () => {
    const content = empty();
    overlaidShown(content, answerOf(question("q", "matrix", {}), { rows: [] }), "answer 2", "--place");
    expect(content.overlays.overlaid).toBeUndefined();
    expect(content.groups[0]?.note).toMatch(/nothing that can be drawn/);
  });
});
