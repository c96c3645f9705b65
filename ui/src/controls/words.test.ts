import { describe, expect, it } from "vitest";
import { isComplete, pointFeature, restsOn, valueAt, withValueAt, type Inputs } from "../api/inputs";
import type { LayerInfo, ModeInfo, Overview } from "../api/studies";
import { processOf } from "../testing/fixtures";
import shared from "../testing/sentences.json";
import { rides, usualMorning, wordedFor } from "./riding";
import { fitted, freshInputs, hintOf, layersFor, offersOf, sentencePieces } from "./sentence";
import { hoursOf, hoursWords, slotWords } from "./words";

const layer = (id: string, role: string, count: number, more: Partial<LayerInfo> = {}) =>
  ({ id, title: id.replace("_", " ").replace(/^./, (letter) => letter.toUpperCase()), role, count, fields: {}, geometry: "POINT", ...more }) as LayerInfo;
const layers = [
  layer("cool_rooms", "places", 14, { fields: { seats: "INTEGER" } }),
  layer("zones", "zones", 32, { geometry: "POLYGON" }),
  layer("services", "places", 90, { fields: { kind: "TEXT" } }),
  layer("buildings", "buildings", 900, { fields: { residents: "REAL" }, geometry: "POLYGON" }),
  layer("parcels", "parcels", 800, { geometry: "POLYGON" }),
  layer("tours", "other", 3, { geometry: "LINESTRING" }),
];
const slotOf = (process: string, name: string) => processOf(process)["x-awl"].slots[name] as NonNullable<ReturnType<typeof processOf>["x-awl"]["slots"][string]>;
const modes = [{ id: "walk", document: { transit: null } }, { id: "transit", document: { transit: { slack_s: 60 } } }] as unknown as ModeInfo[];
const read = (id: string, inputs: Inputs) => {
  const process = wordedFor(processOf(id), modes, inputs);
  const { slots } = process["x-awl"];
  const measure = String(inputs.measure ?? process.inputs.measure?.schema.default ?? "time");
  return sentencePieces(process, inputs)
    .map((piece) => {
      if ("text" in piece) return piece.text;
      const slot = slots[piece.slot];
      return slot ? slotWords(slot, inputs[piece.slot], { layers, slots, measure, questions: { q1: "answer 1" } }) : "";
    })
    .join("");
};
const points = (...names: string[]) => ({ type: "FeatureCollection" as const, features: names.map((name) => pointFeature(1, 2, name)) });

describe("a sentence", () => {
  const places = { layer: "cool_rooms" };
  it("reads as English with its defaults", () =>
    expect(read("isochrone", { places })).toBe("How far does a walker get, leaving 14 cool rooms, within 5, 10, 15 minutes, areas merged, in free flow?"));
  it("turns round with the direction", () =>
    expect(read("isochrone", { places, direction: "to", limits: [400], measure: "distance" })).toMatch(/^From how far does a walker come, bound for 14 cool rooms, within 400 metres/));
  it("names points by their street, and never hides a closure", () => {
    expect(read("isochrone", { places: points("Curl Lane") })).toContain("leaving Curl Lane,");
    expect(read("isochrone", { places, closures: points("Heron Footbridge") })).toMatch(/with Heron Footbridge closed\?$/);
    const slowed = { ...points(), features: [{ ...pointFeature(1, 2, "Quay"), properties: { name: "Quay", factor: 0.5 } }] };
    expect(read("isochrone", { places, closures: slowed })).toMatch(/with Quay slowed\?$/);
  });
  it("says the filter of a layer and the answer it rests on", () => {
    expect(read("isochrone", { places: { layer: "cool_rooms", where: "seats > 40" } })).toContain("cool rooms where seats > 40");
    expect(read("matrix", { from: { layer: "zones", inside: "q1" }, to: { answer: "q1", part: "places" } })).toMatch(/each of zones inside answer 1 to each of places of answer 1/);
  });
  it("says what is no default, and only that", () => {
    expect(read("isochrone", { places, snap: 100 })).not.toContain("from a street");
    expect(read("isochrone", { places, snap: 250, at: "2026-06-03T08:00" })).toMatch(/, on Wednesday.* 08:00, up to 250 m from a street\?$/);
    expect(read("isochrone", { places, differs: [] })).not.toContain("but");
    expect(read("isochrone", { places, differs: [{ where: "seats > 60", mode: "drive", add_minutes: 3 }] })).toContain(", but by a driver, 3 min longer, where seats > 60?");
  });
  it("says hours as stretches", () => expect(read("matrix", { from: places, to: places, at: "2026-06-03T08:00", hours: [6, 7, 8] })).toMatch(/, and at 6 to 8 o'clock\?$/));
  it("says layers in a chain", () =>
    expect(read("alongside", { events: points("Quay"), layers: [{ layer: "parcels" }, { layer: "buildings", where: "floors > 4" }] })).toContain("within 500 m of Quay, on a strip of 25 m to either side: parcels, then on them buildings where floors > 4"));
  it("counts in what is measured", () => {
    expect(read("centrality", { places })).toContain("within 800 metres, all counted alike, by every index");
    expect(read("centrality", { places, radius: 8, measure: "time", weight: "floor_area", indices: ["reach", "closeness"] })).toContain("within 8 minutes, each counted by its floor area, by reach and closeness");
    expect(read("trips", { from: places, to: places, most: 12_000 })).toContain("at most 12,000 trips");
    expect(read("catchment", { places, limit: 7.5 })).toContain("within 7.5 minutes");
    expect(read("neighbours", { places, others: places, kind: "land_use" })).toContain("by land use");
  });
  it("names costs", () => expect(read("route", { waypoints: points("a", "b"), measure: ["time", "scenic_cost"] })).toContain("quickest and least scenic cost"));
});

describe("sentences read the same on the screen as on paper", () => {
  const { layers: named, questions, whatIfs, sentences } = shared;
  it.each(sentences.map(({ process, inputs, text }) => [text, process, inputs as Inputs] as const))("%s", (text, id, inputs) => {
    const process = wordedFor(processOf(id), modes, inputs);
    const { slots } = process["x-awl"];
    const measure = String(inputs.measure ?? process.inputs.measure?.schema.default ?? "time");
    const known = { layers: named as LayerInfo[], slots, measure, questions, whatIfs };
    const said = sentencePieces(process, inputs).map((piece) => {
      if ("text" in piece) return piece.text;
      const slot = slots[piece.slot];
      return slot ? slotWords(slot, inputs[piece.slot], known) : "";
    });
    expect(said.join("")).toBe(text);
  });
});

describe("access in words", () => {
  const said = (inputs: Inputs) => read("access", { places: { layer: "cool_rooms" }, zones: { layer: "zones" }, ...inputs });
  it("adds candidates and further measures", () => {
    expect(said({ candidates: { layer: "cool_rooms" }, choose: 2 })).toMatch(/, adding the best 2 of 14 cool rooms\?$/);
    expect(said({ measures: ["two_step", "kth"] })).toContain(", measuring supply per head and time to the k-th nearest too");
  });
  it("says what else holds in a second run", () => {
    expect(said({ against: { closures: points("Quay Bridge") } })).toMatch(/, set against the same with Quay Bridge closed\?$/);
    expect(said({ against: { mode: "cycle", at: "2026-06-03T08:00" } })).toMatch(/set against a cyclist on .*8:00\?$/);
    expect(said({ against: { at: null, closures: null } })).toContain("set against the same in free flow with no street closed?");
    expect(said({ against: { places: { layer: "zones" }, direction: "from" } })).toContain("the same for 32 zones being served from there?");
  });
  it("counts squares of the raster without zones", () => expect(said({ zones: null })).toContain("counting all people of the population raster in squares"));
});

describe("a new question", () => {
  it("begins with the layers of the study, and nothing that has to be asked for", () => {
    expect(freshInputs(processOf("isochrone"), layers, "walk")).toEqual({ mode: "walk", places: { layer: "cool_rooms" }, limits: [5, 10, 15], direction: "from", merge: "merged" });
    expect(Object.keys(freshInputs(processOf("access"), layers, "walk")).sort()).toEqual(["direction", "fields", "limits", "mode", "places", "spread", "zones"]);
    expect(freshInputs(processOf("trips"), layers, "walk")).toMatchObject({ from: { layer: "zones" }, to: { layer: "cool_rooms" } });
    expect(freshInputs(processOf("alongside"), layers, "walk")).toMatchObject({ layers: [{ layer: "parcels" }, { layer: "buildings" }], events: { features: [] } });
  });
  it("takes the largest layer where places are among many, and kinds where a layer has them", () => {
    expect(freshInputs(processOf("centrality"), layers, "walk").places).toEqual({ layer: "services" });
    expect(freshInputs(processOf("neighbours"), layers, "walk")).toMatchObject({ others: { layer: "services" }, kind: "kind" });
    expect(freshInputs(processOf("neighbours"), layers.slice(0, 2), "walk")).toMatchObject({ others: { layer: "cool_rooms" }, kind: null });
  });
  it("leaves the place open where there is no layer", () => {
    expect(freshInputs(processOf("isochrone"), [], "cycle").places).toEqual({ type: "FeatureCollection", features: [] });
    expect(freshInputs(processOf("access"), [], "cycle").zones).toBeNull();
  });
  it("asks for the weight of a drawing, for two costs of streets", () => {
    expect(freshInputs(processOf("route"), layers, "walk").measure).toEqual(["time", "distance"]);
    expect(freshInputs(processOf("route"), layers, "walk", ["weight"], true).measure).toEqual(["weight"]);
  });
  it("can be asked once it has the points it needs", () => {
    const { slots } = processOf("route")["x-awl"];
    expect([points(), points("a"), points("a", "b")].map((waypoints) => isComplete({ waypoints }, slots))).toEqual([false, false, true]);
    expect(isComplete({ places: points("a"), zones: null, limits: [] }, processOf("access")["x-awl"].slots)).toBe(true);
    expect([0, 1, 5].map((count) => hintOf(slotOf("route", "waypoints"), count))).toEqual(["set the start", "set the next point", "set the next point"]);
  });
});

describe("what is offered", () => {
  const offered = (id: string, inputs: Inputs) => offersOf(wordedFor(processOf(id), modes, inputs), inputs).map(([name]) => name);
  it("is what is not there yet and can be", () => {
    expect(offered("isochrone", {})).toEqual(["closures", "differs", "what_if", "snap"]);
    expect(offered("isochrone", { at: "2026-06-03T08:00" })).toContain("hours");
    expect(offered("isochrone", { at: "2026-06-03T08:00", differs: [{ where: "a" }] })).not.toContain("hours");
    expect(offered("access", { against: { mode: "cycle" } })).not.toContain("against");
  });
  it("are the layers that can stand for a word", () => {
    const of = (process: string, name: string) => layersFor(slotOf(process, name), layers).map(({ id }) => id);
    expect(of("access", "zones")).toEqual(["zones", "buildings"]);
    expect(of("trips", "lines")).toEqual(["tours"]);
    expect(of("isochrone", "places")).toEqual(["cool_rooms", "zones", "services"]);
  });
});

describe("questions by public transport", () => {
  const places = { layer: "cool_rooms" };
  it("name the window and the share of journeys", () => {
    expect(read("isochrone", { mode: "transit", places, limits: [10], at: "2026-06-06T13:00" })).toMatch(/, on Saturday 6 June 2026, 13:00, over 60 min from then, for 50% of journeys\?$/);
    expect(read("isochrone", { mode: "transit", places, limits: [10], at: "2026-06-06T13:00", window: 30, percentile: 90, max_changes: 1, max_walk: 10, max_wait: 4 })).toMatch(
      /over 30 min from then, for 90% of journeys, with changes limited to 1, walking at most 10 min at a time, waiting at most 4 min at a change\?$/,
    );
    expect(read("isochrone", { mode: "walk", places, limits: [10] })).not.toContain("journeys");
  });
  it("begin on a usual weekday of the timetable", () => {
    // A route by timetable tells single departures, of which only time is counted.
    expect(read("route", { mode: "transit", waypoints: points("Quay", "Mill"), at: "2026-06-06T13:00", measure: ["time", "distance"] })).toBe(
      "By which way does a passenger get through Quay and Mill, in this order, on Saturday 6 June 2026, 13:00, over 60 min from then?",
    );
    expect(rides(modes, { mode: "transit" })).toBe(true);
    expect(rides(modes, {})).toBe(false);
    const timetables = [{ summary: { typical_days: { weekday: "2026-05-04" } } }] as unknown as Overview["timetables"];
    expect(usualMorning({ timetables } as Overview)).toBe("2026-05-04T08:00");
    expect(usualMorning({ timetables: [] as Overview["timetables"] } as Overview)).toMatch(/T08:00$/);
  });
});

describe("inputs", () => {
  it("say which answers they rest on", () => expect(restsOn({ from: { layer: "zones", inside: "q1" }, layers: [{ answer: "q2" }], to: { layer: "rooms" } })).toEqual(["q1", "q2"]));
  it("are changed at the end of a path", () => {
    const inputs = { against: { mode: "cycle" } };
    const next = withValueAt(inputs, ["against", "closures"], points("a"));
    expect(valueAt(next, ["against", "closures"])).toEqual(points("a"));
    expect(valueAt(next, ["against", "mode"])).toBe("cycle");
    expect(inputs).toEqual({ against: { mode: "cycle" } });
  });
});

describe("hours of a day", () => {
  it("are read as numbers and stretches", () => {
    expect(hoursOf("17, 7-9;8", 16)).toEqual([7, 8, 9, 17]);
    for (const wrong of ["", "25", "9-7", "seven", "0-23", "-3"]) expect(hoursOf(wrong, 16)).toBeNull();
  });
  it("are said as stretches", () => {
    expect(hoursWords([9, 7, 8, 17])).toBe("7 to 9 and 17");
    expect(hoursWords([6, 7])).toBe("6 and 7");
  });
});

describe("a word that changes the sentence", () => {
  const process = processOf("simulate");
  it("takes along places that are to be set no longer, and brings them back", () => {
    const none = { type: "FeatureCollection" as const, features: [] };
    const random = fitted(process, { demand: "random", places: none }, []);
    expect(random).toEqual({ demand: "random" });
    expect(fitted(process, { demand: "nearest" }, [])).toMatchObject({ places: none });
    expect(fitted(process, { demand: "nearest" }, layers)).toMatchObject({ places: { layer: "cool_rooms" } });
    expect(fitted(process, { demand: "table" }, layers)).toMatchObject({ trips: { layer: "tours" } });
  });
  it("leaves alone what was chosen", () => {
    const chosen = { demand: "random", places: { layer: "services" } };
    expect(fitted(process, chosen, layers)).toEqual(chosen);
  });
});
