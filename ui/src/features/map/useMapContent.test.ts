import { renderHook } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import type { Packed } from "../../api/packed";
import { screenNow, screenStore } from "../../state/screen";
import { answerOf, framed, LAYERS, OVERVIEW, question, setTokens, sheetOf, square, TOKENS } from "../../testing/fixtures";
import { middleLimit, type MapContent } from "../../map/content";
import { lettersOf } from "./graphContent";
import { measureShown } from "./measured";
import { useMapContent } from "./useMapContent";

const reset = screenNow();
beforeEach(() => {
  setTokens(TOKENS);
  screenStore.setState({ ...reset, study: "ferrow", stage: "sheet", question: "q1", row: null, street: null, hidden: {} });
});

function shown(process: string, inputs: Record<string, unknown>, result: Record<string, unknown>): MapContent {
  const block = question("q1", process, inputs);
  const wrapper = framed([
    [["sheet", "ferrow", "main"], sheetOf(block)],
    [["answer", "ferrow", "q1"], answerOf(block, result)],
  ]);
  return renderHook(() => useMapContent(OVERVIEW, null), { wrapper }).result.current;
}

const rows = (content: MapContent, title: string) => content.groups.find((group) => group.title.startsWith(title))?.rows ?? [];
const collection = (...features: object[]) => ({ type: "FeatureCollection", features });

describe("the stage Modes", () => {
  const info = {
    id: "drive", title: "Drive", changed: "", speed_sources: [{ source: "posted limit", km: 30 }, { source: "speed of its class", km: 12 }, { source: "stated default", km: 0 }],
    document: { speeds: { primary: 50, residential: 30 } },
  };
  const shown = (colour: "use" | "speed" | "source") => {
    screenStore.setState({ stage: "modes", mode: "drive", colour });
    const overview = { ...OVERVIEW, modes: [info] } as unknown as typeof OVERVIEW;
    return renderHook(() => useMapContent(overview, null), { wrapper: framed() }).result.current;
  };
  const labels = (content: MapContent) => content.groups[0]?.rows.map(({ label }) => label);
  it("shows what is used, in ink", () => {
    expect(shown("use").streets).toEqual({ kind: "mode", mode: "drive", at: null, beside: null });
  });
  it("colours by speed in steps that suit the mode", () => {
    const content = shown("speed");
    expect(content.streets).toMatchObject({ values: { by: "speed", limits: [20, 30, 50, 300] } });
    expect(content.bandCount).toBe(4);
    expect(labels(content)).toEqual(["to 20 km/h", "to 30 km/h", "to 50 km/h", "over 50 km/h", "Not used"]);
  });
  it("colours by where the speed comes from, with kilometres", () => {
    const content = shown("source");
    expect(content.streets).toMatchObject({ values: { by: "source", limits: [0.5, 1.5, 2.5] } });
    expect(labels(content)).toEqual(["posted limit, 30 km", "speed of its class, 12 km", "Not used"]);
  });
});

it("letters the links of a drawing at their middle, in the direction in which they were drawn", () => {
  const link = (coordinates: number[][], properties: object) => ({ type: "Feature" as const, properties, geometry: { type: "LineString" as const, coordinates } });
  const made = lettersOf(
    { type: "FeatureCollection", features: [link([[0, 0], [2, 0]], { weight: 4 }), link([[0, 2], [0, 0]], { weight: 5 }), link([[0, 0], [1, 1]], { weight: null })] },
    "weight",
  );
  expect(made.features.map(({ geometry, properties }) => [geometry, properties])).toEqual([
    [{ type: "Point", coordinates: [1, 0] }, { text: 4, angle: -0 }],
    [{ type: "Point", coordinates: [0, 1] }, { text: 5, angle: 90 }],
  ]);
});

describe("an answer on the map", () => {
  const inputs = { mode: "walk", places: { layer: "cool_rooms" }, limits: [5, 10], direction: "to" };
  const layer = { part: "areas", drawn: "areas", classes: { of: { "*": { row: "ground", fill: "token:place" } } } };
  const map = { layers: [layer], legend: [{ id: "g", title: "Time", rows: [{ id: "reached", label: "Reached street", swatch: { kind: "line" } }] }], streets: { kind: "reach", limits: [5, 10], row: "reached" } };
  const result = { view: { map }, areas: collection(square(0, { limit: 5 })) };
  it("is drawn as its view says, with the ground below it in the legend", () => {
    const content = shown("isochrone", inputs, result);
    expect(content.overlays.areas?.features).toHaveLength(1);
    expect(content.groups.map(({ title }) => title)).toEqual(["Time", "Ground"]);
    expect(content.streets).toMatchObject({ kind: "reach", limits: [5, 10] });
    expect(content.bandCount).toBe(2);
  });
  it("leaves streets to the mode where their row is switched off, and plain where nothing is said", () => {
    screenStore.setState({ hidden: { reached: true } });
    expect(shown("isochrone", inputs, result).streets).toEqual({ kind: "mode", mode: "walk", at: null, beside: null });
    expect(shown("access", inputs, { view: {} }).streets).toEqual({ kind: "plain" });
  });
  it("shows no answer of another stage", () => {
    screenStore.setState({ stage: "handout" });
    const content = shown("isochrone", inputs, result);
    expect(content.overlays.areas).toBeUndefined();
    expect(content.groups.map(({ title }) => title)).toEqual(["Ground"]);
  });
  });

describe("measuring", () => {
  it("says what to do, then the length", () => {
    const content = shown("matrix", {}, { view: {} });
    measureShown(content, []);
    expect(content.groups[0]?.rows[0]?.label).toMatch(/Click/);
    measureShown(content, [[0, 0], [0, 0.001], [0, 0.002]]);
    expect(content.groups[0]?.rows[0]?.label).toBe("222 m");
    expect(content.overlays.selection?.features).toHaveLength(1);
  });
});

describe("the stage of the streets", () => {
  const packed = {
    head: {},
    arrays: [...Array.from({ length: 7 }, () => new Uint8Array()), new Uint8Array([0, 1]), new Float64Array([1, 2]), new Float64Array([3, 4]), new Float64Array([1001, 1002])],
  } as unknown as Packed;
  it("shows nodes, border nodes apart", () => {
    screenStore.setState({ stage: "streets", hidden: { border: true } });
    const content = renderHook(() => useMapContent(OVERVIEW, packed), { wrapper: framed() }).result.current;
    expect(content.nodes).toEqual({ streets: packed, plain: true, border: false });
    expect(rows(content, "Graph").find(({ label }) => label === "Border node")?.count).toBe(12);
  });
  it("lists only the ground that the study has", () => {
    const content = renderHook(() => useMapContent({ ...OVERVIEW, layers: LAYERS }, null), { wrapper: framed() }).result.current;
    expect(rows(content, "Ground").map(({ key }) => key)).toEqual(["", "", "water", "names"]);
  });
});

it("takes the middle limit, the later of two", () => {
  expect([middleLimit([5]), middleLimit([5, 10]), middleLimit([5, 10, 15])]).toEqual([5, 10, 10]);
});
