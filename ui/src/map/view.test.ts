import type { Feature } from "geojson";
import { beforeAll, describe, expect, it } from "vitest";
import type { Results } from "../api/client";
import { setTokens, square, TOKENS } from "../testing/fixtures";
import { nothingShown, type MapContent } from "./content";
import { changeRamp, shareRamp } from "./look";
import { frameOf, outlineShown, rowColour, viewShown, widthOf, type Choice, type MapLayer } from "./view";

const set = (...features: Feature[]) => ({ type: "FeatureCollection", features });
const point = (properties: Record<string, unknown>): Feature => ({ type: "Feature", properties, geometry: { type: "Point", coordinates: [0, 0] } });
const line = (properties: Record<string, unknown>, coordinates: number[][] = [[0, 0], [1, 1]]): Feature => ({ type: "Feature", properties, geometry: { type: "LineString", coordinates } });
const usual: Choice = { hidden: {}, row: null, look: { field: null, classing: "equal", own: null }, step: null, looks: {}, path: null };
type View = Results["view"];

function shown(map: View["map"], parts: Record<string, unknown>, choice: Partial<Choice> = {}, schema: Results["schema"] = {}): MapContent {
  const content = nothingShown();
  viewShown(content, { view: { map }, schema, ...parts } as unknown as Results, { ...usual, ...choice });
  return content;
}
const properties = (content: MapContent, overlay: keyof MapContent["overlays"]) => (content.overlays[overlay]?.features ?? []).map(({ properties }) => properties ?? {});

beforeAll(() => setTokens({ ...TOKENS, "--thread": "#005e73" }));

describe("features told apart by a field", () => {
  const bands: MapLayer = { part: "areas", drawn: "areas", sort: "limit", classes: { field: "limit", of: { "5": { row: "band-0", fill: "band:0/2", line: "band:0/2" }, "10": { row: "band-1", fill: "band:1/2", line: "band:1/2" } } } };
  const legend = [{ id: "limits", title: "Time", rows: [{ id: "band-0", label: "to 5 min", swatch: { kind: "area" as const, fill: "band:0/2", line: "band:0/2" } }, { id: "band-1", label: "to 10 min", swatch: { kind: "area" as const, fill: "band:1/2" } }] }];
  const parts = { areas: set(square(0, { limit: 5 }), square(1, { limit: 10 })) };
  it("lie with the first on top, each in the ink of its row", () => {
    const content = shown({ layers: [bands], legend }, parts);
    expect(properties(content, "areas").map(({ limit, fill }) => [limit as number, fill as string])).toEqual([[10, "#faf1db"], [5, "#dbbdd1"]]);
    expect(content.groups[0]?.rows.map(({ key, label, swatch }) => [key, label, swatch.fill])).toEqual([["band-0", "to 5 min", "#dbbdd1"], ["band-1", "to 10 min", "#faf1db"]]);
  });
  it("go with their row, and look as the sheet says by its id, whatever it is called", () => {
    const content = shown({ layers: [bands], legend }, parts, { hidden: { "band-1": true }, looks: { "band-0": { colour: "#112233", label: "near" } } });
    expect(properties(content, "areas").map(({ fill }) => fill as string)).toEqual(["#112233"]);
    expect(content.groups[0]?.rows[0]).toMatchObject({ label: "near", swatch: { fill: "#112233" } });
    // Sheets of earlier versions know a row by its group and label.
    const former = shown({ layers: [bands], legend }, parts, { looks: { "Time: to 10 min": { colour: "#445566" } } });
    expect(properties(former, "areas")[0]?.fill).toBe("#445566");
  });
  it("are outlined where their row of the table is selected", () => {
    const layer: MapLayer = { part: "areas", drawn: "areas", key: "place", classes: { of: { "*": { row: "ground", fill: "token:place", opacity: 0.2 } } } };
    const content = shown({ layers: [layer] }, { areas: set(square(0, { place: "A" }), square(1, { place: "B" })) }, { row: "B" });
    expect(content.overlays.selection?.features).toHaveLength(1);
    expect(properties(content, "areas").map(({ opacity }) => opacity as number)).toEqual([0.2, 0.5]);
  });
  it("are routes, the one that leads on top, joined by dots to places beside their ends", () => {
    const layer: MapLayer = { part: "routes", drawn: "routes", approach: "places", classes: { field: "measure", of: { time: { row: "r:time", line: "token:b1" }, distance: { row: "r:distance", line: "token:b2", second: true } } } };
    const at = (lon: number, lat: number): Feature => ({ type: "Feature", properties: {}, geometry: { type: "Point", coordinates: [lon, lat] } });
    const routes = set(line({ measure: "time" }, [[0, 0.0002], [0.001, 0]]), line({ measure: "distance" }, [[0, 0.0002], [0.001, 0]]));
    const content = shown({ layers: [layer] }, { routes, places: set(at(0, 0), at(0.001, 0)) }, { hidden: { "r:distance": true } });
    expect(properties(shown({ layers: [layer] }, { routes }), "routes").map(({ second }) => second as boolean)).toEqual([true, false]);
    expect(properties(content, "routes")).toEqual([{ colour: "#5b1647", second: false }]);
    expect(content.overlays.approaches?.features.map(({ geometry }) => geometry)).toEqual([{ type: "LineString", coordinates: [[0, 0], [0, 0.0002]] }]);
  });
  it("are pins, open where a place is left out, and circles by whether they are chosen", () => {
    const pins: MapLayer = { part: "places", drawn: "pins", classes: { field: "status", of: { "on street": { row: "places" }, "*": { row: "places", second: true } } } };
    expect(properties(shown({ layers: [pins] }, { places: set(point({ status: "on street" }), point({ status: "too far" })) }), "places").map(({ used }) => used as boolean)).toEqual([true, false]);
    const rooms: MapLayer = { part: "rooms", drawn: "points", key: "name", label: "name", classes: { field: "chosen", of: { true: { row: "in", fill: "token:thread" }, "*": { row: "out", fill: "token:page" } } } };
    const content = shown({ layers: [rooms] }, { rooms: set(point({ name: "X", chosen: true }), point({ name: "Y", chosen: false })) }, { row: "X" });
    expect(properties(content, "graded")).toEqual([{ name: "X", colour: "#005e73", radius: 6, chosen: true }, { name: "Y", colour: "#fdfdfb", radius: 6, chosen: false }]);
  });
});

describe("features graded by a number", () => {
  const fields = [{ field: "share", title: "People within 10 min", unit: "%", breaks: [0, 20, 40, 60, 80, 100] }, { field: "change", title: "Change within 10 min, points", ramp: "change" as const, breaks: [-100, -0.5, 0.5, 100] }];
  const layer: MapLayer = { part: "zones", drawn: "zones", key: "zone", grades: { id: "zones", of: "zones", fields, frames: { part: "curves", key: "zone", title: "People within {} min" } } };
  const parts = { zones: set(square(0, { zone: "a", share: 100, change: -8 }), square(1, { zone: "b", share: 39.9, change: 0 }), square(2, { zone: "c", share: null, change: 12 })) };
  const schema = { zones: [{ name: "share", type: "number" as const }, { name: "change", type: "number" as const }], curves: [{ name: "zone", type: "text" as const }, { name: "w3", type: "number" as const, limit: 3 }, { name: "w6", type: "number" as const, limit: 6 }] };
  it("have the classes of the first field, the last one closed, and one of their own without a value", () => {
    const content = shown({ layers: [layer] }, parts, {}, schema);
    expect(content.groups[0]?.title).toBe("People within 10 min");
    expect(content.groups[0]?.rows.map(({ label, count }) => [label, count])).toEqual([["0 to 20%", 0], ["20 to 40%", 1], ["40 to 60%", 0], ["60 to 80%", 0], ["80 to 100%", 1], ["no value here", 1]]);
    expect(properties(content, "zones")[2]?.fill).toBe("#f0f2ec");
    expect(content.groups[0]?.grades?.figures).toEqual([["share", "People within 10 min"], ["change", "Change within 10 min"]]);
  });
  it("show another field where it is chosen, loss and gain in inks of their own", () => {
    const content = shown({ layers: [layer] }, parts, { look: { field: "change", classing: "equal", own: null } }, schema);
    const ramp = changeRamp(3);
    expect(properties(content, "zones").map(({ fill }) => fill as string)).toEqual([ramp[0], ramp[1], ramp[2]]);
  });
  it("follow a step of the chart by the key of its rows, and leave the choice of fields out meanwhile", () => {
    const curves = [{ zone: "a", w3: 100, w6: 100 }, { zone: "b", w3: 0, w6: 90 }];
    const content = shown({ layers: [layer] }, { ...parts, curves }, { step: 3.2 }, schema);
    expect(content.groups[0]?.title).toBe("People within 3.2 min");
    expect(content.groups[0]?.grades).toBeUndefined();
    expect(properties(content, "zones").map(({ fill }) => fill as string).slice(0, 2)).toEqual([shareRamp(5)[4], shareRamp(5)[0]]);
    expect(frameOf({ schema, curves } as unknown as Results, { part: "curves", key: "zone", title: "" }, 5)).toEqual(new Map([["a", 100], ["b", 90]]));
  });
  it("are outlined when their row is chosen, and leave when the legend says so", () => {
    const content = shown({ layers: [layer] }, parts, { row: "b", hidden: { "zones:1": true } }, schema);
    expect(content.overlays.selection?.features).toHaveLength(1);
    expect(content.overlays.zones?.features).toHaveLength(2);
  });
  const places: MapLayer = { part: "places", drawn: "points", key: "name", label: "name", grades: { id: "near", of: "places", classing: "counts", many: 1000, fields: [{ field: "within", title: "Others" }] } };
  const near = { places: [{ name: "within", type: "integer" as const }] };
  it("count whole numbers in classes that hold every place once, the greatest on top", () => {
    const content = shown({ layers: [places] }, { places: set(point({ name: "A", within: 0 }), point({ name: "C", within: 10 }), point({ name: "B", within: 4 })) }, { row: "B" }, near);
    expect(properties(content, "graded").map(({ name, radius, chosen }) => [name as string, radius as number, chosen as boolean])).toEqual([["A", 4, false], ["B", 5, true], ["C", 8, false]]);
    expect(content.groups[0]?.rows.map(({ label, count }) => [label, count])).toEqual([["0 to 2", 1], ["3 to 4", 1], ["5 to 6", 0], ["7 to 8", 0], ["9 to 10", 1]]);
    expect(content.groups[0]?.grades?.counts).toBe(true);
  });
  it("are dots where they are many, the greatest on top, and the chosen one is ringed over them", () => {
    const many = Array.from({ length: 1200 }, (_, i) => point({ name: `P${i}`, within: i % 400 }));
    const of = (choice: Partial<Choice>) => shown({ layers: [places] }, { places: set(...many) }, choice, near);
    const content = of({ row: "P7" });
    expect(properties(content, "graded").map(({ name, chosen }) => [name as string, chosen as boolean])).toEqual([["P7", true]]);
    const { dots } = content;
    expect(dots?.names).toHaveLength(1200);
    expect(dots?.names[0]).toBe("P0");
    expect(dots?.names.at(-1)).toBe("P1199");
    expect(dots?.kinds.map(({ radius }) => radius)).toEqual([2.2, 2.2, 2.2, 2.2, 2.2]);
    const counts = content.groups[0]?.rows.map(({ count }) => count ?? 0) ?? [];
    expect([0, 1, 2, 3, 4].map((kind) => dots?.kind.filter((one) => one === kind).length)).toEqual(counts);
    const first = counts[0] ?? 0;
    expect(of({ hidden: { "near:0": true } }).dots?.names).toHaveLength(1200 - first);
  });
  it("take more places than a call of a function has room for", () => {
    const many = Array.from({ length: 300_000 }, (_, i) => point({ name: "", within: i % 3 }));
    expect(shown({ layers: [places] }, { places: { type: "FeatureCollection", features: many } }, {}, near).dots?.names).toHaveLength(300_000);
  });
});

it("dots of a layer of dots lie over those that were there, in inks of their own", () => {
  const graded: MapLayer = { part: "places", drawn: "points", label: "name", grades: { id: "near", many: 1, fields: [{ field: "within", title: "Others" }] } };
  const people: MapLayer = { part: "unserved", drawn: "dots", classes: { of: { "*": { row: "unserved", fill: "token:thread", radius: 1.7 } } } };
  const parts = { places: set(point({ name: "A", within: 1 }), point({ name: "B", within: 9 })), unserved: set(point({}), point({})) };
  const { dots } = shown({ layers: [graded, people] }, parts, {}, { places: [{ name: "within", type: "integer" as const }] });
  expect(dots?.names).toEqual(["A", "B", null, null]);
  expect([...(dots?.kind ?? [])].map((kind) => dots?.kinds[kind]).slice(2)).toEqual([{ colour: "#005e73", radius: 1.7 }, { colour: "#005e73", radius: 1.7 }]);
});

describe("lines as wide as a number", () => {
  const layer: MapLayer = { part: "load", drawn: "lines", widths: { id: "load", field: "trips", title: "Trips on a street", ink: "token:b1", note: "Choose a row." } };
  const parts = { load: set(line({ trips: 400 }), line({ trips: 1 })) };
  it("lie with the widest last, and have round steps in the legend", () => {
    const content = shown({ layers: [layer] }, parts);
    const widths = properties(content, "owned").map(({ width }) => width as number);
    expect(widths).toEqual([widthOf(1, 400, "root"), widthOf(400, 400, "root")]);
    expect(content.groups[0]?.rows.map(({ label }) => label)).toEqual(["200 trips", "50 trips", "10 trips", "1 trip"]);
    expect(content.groups[0]?.note).toBe("Choose a row.");
  });
  it("leave with their row, and a chosen path is drawn over them", () => {
    const content = shown({ layers: [layer] }, parts, { hidden: { load: true }, path: line({}) });
    expect(content.overlays.owned).toBeUndefined();
    expect(content.overlays.routes?.features).toHaveLength(1);
  });
  it("wait for the field they belong to", () => {
    const graded: MapLayer = { part: "places", drawn: "points", grades: { id: "index", fields: [{ field: "reach", title: "Reach" }, { field: "betweenness", title: "Betweenness" }] } };
    const passed: MapLayer = { ...layer, widths: { ...(layer.widths ?? { id: "", field: "", title: "", ink: "" }), with_field: "betweenness" } };
    const all = { ...parts, places: set(point({ reach: 1, betweenness: 2 })) };
    const schema = { places: [{ name: "reach", type: "number" as const }, { name: "betweenness", type: "number" as const }] };
    expect(shown({ layers: [passed, graded] }, all, {}, schema).overlays.owned).toBeUndefined();
    const content = shown({ layers: [passed, graded] }, all, { look: { field: "betweenness", classing: "natural", own: null } }, schema);
    expect(content.groups.map(({ title }) => title)).toEqual(["Betweenness", "Trips on a street"]);
  });
});

describe("another answer over the selected one", () => {
  const over = (parts: Record<string, unknown>) => {
    const content = nothingShown();
    outlineShown(content, { view: { map: { outline: ["routes", "areas"] } }, schema: {}, ...parts } as unknown as Results, "answer 2", "--place");
    return content;
  };
  it("is drawn by its first part that has features, in the ink of its question", () =>
    expect(properties(over({ routes: set(), areas: set(square(0, { a: 1 })) }), "overlaid")).toEqual([{ colour: "#3f5c18" }]));
  it("says so where there is nothing to draw", () => expect(over({}).groups[0]?.note).toMatch(/nothing that can be drawn/));
});

it("the colour of a row is that of its mark", () => {
  expect(rowColour({ key: "", label: "", swatch: { kind: "line", line: "var(--b1)" } })).toBe("#5b1647");
  expect(rowColour({ key: "", label: "", swatch: { kind: "button" } })).toBeNull();
});

it("lines are graded by a change, loss and gain in inks of their own, and told in the legend as lines", () => {
  const grades = { id: "apart", fields: [{ field: "change", title: "Trips", breaks: [-10, -1, 1, 10], ramp: "change" as const }] };
  const parts = { load: set(line({ change: -5 }), line({ change: 0 }), line({ change: 7 }), line({ change: null })) };
  const schema = { load: [{ name: "change", type: "number" as const }] };
  const content = shown({ layers: [{ part: "load", drawn: "lines", grades }] }, parts, { hidden: { "apart:1": true } }, schema);
  const [loss, none, gain] = changeRamp(3);
  expect(properties(content, "owned").map(({ colour }) => colour as string)).toEqual([loss, gain, "#f0f2ec"]);
  expect(content.groups[0]?.rows.map(({ swatch, count }) => [swatch.kind, swatch.line, count])).toEqual([["line", loss, 1], ["line", none, 1], ["line", gain, 1], ["line", "var(--sunk)", 1]]);
  expect(content.overlays.graded).toBeUndefined();
});
