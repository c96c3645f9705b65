import type { Feature } from "geojson";
import { renderHook } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import type { Packed } from "../api/packed";
import { useScreen } from "../state/store";
import { answerOf, framed, LAYERS, OVERVIEW, question, setTokens, sheetOf, square, TOKENS } from "../testing/fixtures";
import { lettersOf, middleLimit, useMapContent, type MapContent } from "./content";

const reset = useScreen.getState();
beforeEach(() => {
  setTokens(TOKENS);
  useScreen.setState({ ...reset, study: "ferrow", stage: "sheet", question: "q1", row: null, street: null, hidden: {} });
});

function shown(process: string, inputs: Record<string, unknown>, result: Record<string, unknown>): MapContent {
  const block = question("q1", process, inputs);
  const wrapper = framed([
    [["sheet", "ferrow"], sheetOf(block)],
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
    useScreen.setState({ stage: "modes", mode: "drive", colour });
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

describe("an isochrone on the map", () => {
  const inputs = { mode: "walk", places: { layer: "cool_rooms" }, limits: [5, 10], direction: "to" };
  const result = {
    areas: collection(square(0, { limit: 5 }), square(1, { limit: 10 })),
    contours: collection(),
    places: collection({ type: "Feature", properties: { name: "Heron Baths", status: "on street" }, geometry: { type: "Point", coordinates: [0, 0] } }),
  };
  it("draws the widest band first, so that nearer ones lie on it", () => {
    const areas = shown("isochrone", inputs, result).overlays.areas;
    expect(areas?.features.map(({ properties }) => properties?.limit as number)).toEqual([10, 5]);
    expect(areas?.features[1]?.properties?.fill).toBe("#dbbdd1");
  });
  it("names each band in the legend by its limit, and the direction in its title", () => {
    const content = shown("isochrone", inputs, result);
    expect(content.groups[0]?.title).toBe("Time to get there");
    expect(rows(content, "Time").map(({ label }) => label)).toEqual(["to 5 min", "to 10 min", "Reached street", "Contour", "Cool room"]);
    expect(content.streets).toMatchObject({ kind: "reach", limits: [5, 10] });
  });
  it("gives metres where the measure is distance", () =>
    expect(rows(shown("isochrone", { ...inputs, measure: "distance", limits: [400, 800] }, { areas: collection() }), "Time")[0]?.label).toBe("to 400 m"));
  it("leaves out what the legend switches off", () => {
    useScreen.setState({ hidden: { "band-1": true, places: true, reached: true } });
    const content = shown("isochrone", inputs, result);
    expect(content.overlays.areas?.features.map(({ properties }) => properties?.limit as number)).toEqual([5]);
    expect(content.overlays.places).toBeUndefined();
    expect(content.streets).toEqual({ kind: "mode", mode: "walk", at: null, beside: null });
  });
});

describe("zones on the map", () => {
  const inputs = { mode: "walk", places: { layer: "cool_rooms" }, zones: { layer: "zones" }, limits: [5, 10, 15] };
  const zones = collection(
    square(0, { zone: "Lorren 1", share_within_10: 100 }),
    square(1, { zone: "Lorren 2", share_within_10: 39.9 }),
    square(2, { zone: "Lorren 3", share_within_10: null }),
  );
  it("are classed by the middle limit, the last class closed at 100%", () => {
    const counts = rows(shown("access", inputs, { zones }), "People within 10 min").slice(0, 5);
    expect(counts.map(({ label, count }) => [label, count])).toEqual([
      ["0 to 20%", 0],
      ["20 to 40%", 1],
      ["40 to 60%", 0],
      ["60 to 80%", 0],
      ["80 to 100%", 1],
    ]);
  });
  it("are outlined when their row is chosen, and only then", () => {
    expect(shown("access", inputs, { zones }).overlays.selection).toBeUndefined();
    useScreen.setState({ row: "Lorren 2" });
    expect(shown("access", inputs, { zones }).overlays.selection?.features).toHaveLength(1);
  });
  it("without known homes are drawn without a class", () => {
    const fills = shown("access", inputs, { zones }).overlays.zones?.features.map(({ properties }) => properties?.fill as string);
    expect(fills?.[2]).toBe("#f0f2ec");
  });
});

describe("other answers", () => {
  it("draws the second way dashed and below the first", () => {
    const routes = collection(
      { type: "Feature", properties: { measure: "time" }, geometry: { type: "LineString", coordinates: [] } },
      { type: "Feature", properties: { measure: "distance" }, geometry: { type: "LineString", coordinates: [] } },
    );
    const content = shown("route", { mode: "drive", waypoints: { features: [] } }, { routes });
    expect(content.overlays.routes?.features.map(({ properties }) => properties?.second as boolean)).toEqual([true, false]);
    expect(rows(content, "Way").map(({ label, swatch }) => [label, swatch.kind])).toEqual([["Quickest", "line"], ["Shortest", "dash"]]);
  });
  it("joins a way to places that lie off its ends", () => {
    const at = (lon: number, lat: number): Feature => ({ type: "Feature", properties: {}, geometry: { type: "Point", coordinates: [lon, lat] } });
    const line = [[0, 0.0002], [0.001, 0], [0.002, 0]];
    const routes = collection({ type: "Feature", properties: { measure: "time" }, geometry: { type: "LineString", coordinates: line } });
    const places = collection(at(0, 0), at(0.001, 0.001), at(0.002, 0.00001));
    const content = shown("route", { mode: "drive", waypoints: { features: [] } }, { routes, places });
    expect(content.overlays.routes?.features).toHaveLength(1);
    const approaches = content.overlays.approaches?.features ?? [];
    expect(approaches.map(({ geometry }) => geometry)).toEqual([{ type: "LineString", coordinates: [[0, 0], [0, 0.0002]] }]);
    expect(approaches[0]?.properties?.colour).toBe(content.overlays.routes?.features[0]?.properties?.colour);
  });
  it("shows no answer of another stage", () => {
    useScreen.setState({ stage: "handout" });
    const content = shown("isochrone", { limits: [5] }, { areas: collection(square(0, { limit: 5 })) });
    expect(content.overlays.areas).toBeUndefined();
    expect(content.groups.map(({ title }) => title)).toEqual(["Ground"]);
  });
});

describe("the stage of the streets", () => {
  const packed = {
    head: {},
    arrays: [...Array.from({ length: 7 }, () => new Uint8Array()), new Uint8Array([0, 1]), new Float64Array([1, 2]), new Float64Array([3, 4]), new Float64Array([1001, 1002])],
  } as unknown as Packed;
  it("shows nodes with the numbers the study knows them by, border nodes apart", () => {
    useScreen.setState({ stage: "streets", hidden: { border: true } });
    const content = renderHook(() => useMapContent(OVERVIEW, packed), { wrapper: framed() }).result.current;
    expect(content.overlays.nodes?.features.map(({ properties }) => properties)).toEqual([{ border: false, number: 1001 }]);
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
