import { beforeAll, describe, expect, it } from "vitest";
import { answerOf, question, setTokens, square, TOKENS } from "../testing/fixtures";
import { accessShown, sharesAt, type ZoneLook } from "./access";
import { classWords, ownLimits } from "./choropleth";
import type { MapContent } from "./content";
import { changeRamp, shareRamp } from "./look";

const empty = (): MapContent => ({ overlays: {}, streets: { kind: "plain" }, groups: [], bandCount: 3, order: [] });
const set = (...features: object[]) => ({ type: "FeatureCollection", features });
const point = (properties: object) => ({ type: "Feature", properties, geometry: { type: "Point", coordinates: [0, 0] } });
const usual: ZoneLook = { field: null, classing: "equal", own: null };

beforeAll(() => setTokens({ ...TOKENS, "--thread": "#005e73" }));

const zone = (west: number, name: string, share: number, change: number) =>
  square(west, { zone: name, share_within_5: share, change_share_within_5: change, other_share_within_5: share + change, mean_min: 4 });
const plain = (more: object = {}) =>
  answerOf(question("q", "access", { limits: [5] }), { zones: set(square(0, { zone: "a", share_within_5: 10 }), square(1, { zone: "b", share_within_5: 90 })), ...more });

describe("zones of an access answer", () => {
  it("follow the cursor on the curve", () => {
    const answer = plain({ curves: [{ zone: "a", within_3: 100, within_5: 100 }, { zone: "b", within_3: 0, within_5: 90 }] });
    expect(sharesAt(answer, 3)).toEqual(new Map([["a", 100], ["b", 0]]));
    const [now, before] = [empty(), empty()];
    accessShown(now, answer, {}, null, usual, 3);
    accessShown(before, answer, {}, null, usual, null);
    expect(now.groups[0]?.title).toBe("People within 3 min");
    const fills = (content: MapContent) => content.overlays.zones?.features.map(({ properties }) => properties?.fill as string);
    expect(fills(now)).toEqual([...(fills(before) ?? [])].reverse());
    expect(now.groups[0]?.zones).toBeUndefined();
  });
  it("of two runs show the change first, loss and gain in inks of their own", () => {
    const content = empty();
    accessShown(content, answerOf(question("q", "access", { limits: [5] }), { zones: set(zone(0, "a", 60, -40), zone(1, "b", 60, 0), zone(2, "c", 60, 30)) }), {}, null, usual, null);
    expect(content.groups[0]?.title).toBe("Change within 5 min, points");
    const ramp = changeRamp(7);
    expect(content.overlays.zones?.features.map(({ properties }) => properties?.fill as string)).toEqual([ramp[0], ramp[3], ramp[6]]);
    expect(content.groups[0]?.rows.map(({ label }) => label)).toContain("−0.5 to 0.5");
  });
  it("keep limits of one's own; what lies beyond them has no class", () => {
    const content = empty();
    accessShown(content, plain(), {}, null, { ...usual, classing: "own", own: [0, 30, 60] }, null);
    expect(content.groups[0]?.rows.map(({ label, count }) => [label, count])).toEqual([["0 to 30%", 1], ["30 to 60%", 0], ["no value here", 1]]);
  });
});

describe("what stands on the zones", () => {
  it("are people not served, as dots that the legend switches", () => {
    const answer = plain({ unserved: set(point({ people: 20 }), point({ people: 20 })) });
    const [shown, hidden] = [empty(), empty()];
    accessShown(shown, answer, {}, null, usual, null);
    accessShown(hidden, answer, { unserved: true }, null, usual, null);
    expect(shown.overlays.graded?.features).toHaveLength(2);
    expect(hidden.overlays.graded).toBeUndefined();
    expect(hidden.groups[0]?.rows.map(({ label }) => label)).toContain("20 people beyond 5 min");
  });
  it("are candidates, the chosen ones filled", () => {
    const content = empty();
    accessShown(content, plain({ candidates: set(point({ name: "X", chosen: true }), point({ name: "Y", chosen: false })) }), { "candidates-other": true }, "X", usual, null);
    expect(content.overlays.graded?.features.map(({ properties }) => properties)).toEqual([{ name: "X", colour: "#005e73", radius: 6, chosen: true }]);
    expect(content.groups[1]?.rows.map(({ count }) => count)).toEqual([1, 1]);
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
  expect(shareRamp(3)).toHaveLength(3);
  expect(new Set(changeRamp(7)).size).toBe(7);
});
