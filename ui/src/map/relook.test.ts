import { beforeAll, describe, expect, it } from "vitest";
import { setTokens, square, TOKENS } from "../testing/fixtures";
import type { LegendRow, MapContent } from "./content";
import { relooked, rowColour, rowId } from "./relook";

beforeAll(() => setTokens(TOKENS));

const band = (label: string, fill: string): LegendRow => ({ key: label, label, swatch: { kind: "area", fill, line: "#000000" } });
const content = (): MapContent => ({
  overlays: { areas: { type: "FeatureCollection", features: [square(0, { fill: "#DBBDD1", line: "#4a0f39" }), square(1, { fill: "#f3d8c9" })] } },
  streets: { kind: "plain" },
  groups: [{ title: "Time", rows: [band("to 5 min", "#dbbdd1"), band("to 10 min", "#f3d8c9"), { key: "", label: "Way", swatch: { kind: "line", line: "var(--b1)" } }] }],
  bandCount: 2,
  order: [],
});

describe("looks of rows", () => {
  it("change label and colour in the legend as on the map, and nothing else", () => {
    const made = relooked(content(), { "Time: to 5 min": { label: "near", colour: "#112233" } });
    expect(made.groups[0]?.rows.map(({ label, swatch }) => [label, swatch.fill])).toEqual([["near", "#112233"], ["to 10 min", "#f3d8c9"], ["Way", undefined]]);
    expect(made.overlays.areas?.features.map(({ properties }) => properties)).toEqual([{ fill: "#112233", line: "#4a0f39" }, { fill: "#f3d8c9" }]);
  });
  it("are kept under what a row said before it was renamed", () => {
    const made = relooked(content(), { "Time: to 5 min": { label: "near" } });
    expect(made.groups[0]?.rows[0]?.id).toBe("Time: to 5 min");
    expect(rowId("Time", band("to 5 min", "#dbbdd1"))).toBe("Time: to 5 min");
  });
  it("widen the lines of a row", () => {
    const lines = { ...content(), overlays: { routes: { type: "FeatureCollection" as const, features: [square(0, { colour: "#5b1647" }), square(1, { colour: "#b4472f" })] } } };
    const made = relooked(lines, { "Time: Way": { width: 2 } });
    expect(made.overlays.routes?.features.map(({ properties }) => properties?.thick as number | undefined)).toEqual([2, undefined]);
    expect(made.groups[0]?.rows[2]?.swatch.width).toBeCloseTo(4.8);
  });
  it("leave everything where none is given", () => expect(relooked(content(), {}).overlays).toEqual(content().overlays));
});

it("a row's colour is that of its features", () => {
  expect(rowColour({ key: "", label: "", swatch: { kind: "line", line: "var(--b2)" } })).toBe("#b4472f");
  expect(rowColour({ key: "", label: "", swatch: { kind: "line", line: "transparent" } })).toBeNull();
  expect(rowColour({ key: "", label: "", swatch: { kind: "button" } })).toBeNull();
});
