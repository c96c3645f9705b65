import { describe, expect, it } from "vitest";
import type { LayerInfo, ProcessInfo, Slot } from "../api/own";
import { freshInputs, hoursOf, hoursWords, pointFeature, restsOn, sentencePieces, slotWords } from "./words";

const slots: Record<string, Slot> = {
  mode: { kind: "mode", label: "Mode", words: { walk: "walker" }, default: "walk" },
  places: { kind: "place", label: "Places", default: null },
  limits: { kind: "amount", label: "Limits", default: [5, 10, 15] },
  direction: { kind: "way", label: "Direction", words: { from: "leaving", to: "bound for" }, default: "from" },
};
const process: ProcessInfo = {
  id: "isochrone",
  title: "Isochrone",
  description: "",
  "x-awl": {
    opening: "How far",
    sentences: [
      { when: { direction: "to" }, text: "From how far does a {mode} come, {direction} {places}, within {limits}?" },
      { when: {}, text: "How far does a {mode} get, {direction} {places}, within {limits}?" },
    ],
    slots,
  },
};
const layers = [
  { id: "cool_rooms", title: "Cool rooms", role: "places", count: 14 },
  { id: "zones", title: "Zones", role: "zones", count: 32 },
] as LayerInfo[];
const read = (inputs: Record<string, unknown>) =>
  sentencePieces(process, inputs)
    .map((piece) => {
      if ("text" in piece) return piece.text;
      const slot = slots[piece.slot] ?? { kind: "place", label: "", default: null };
      return slotWords(piece.slot, slot, inputs[piece.slot], layers);
    })
    .join("");

describe("a sentence", () => {
  it("reads as English with its defaults", () =>
    expect(read({ places: { layer: "cool_rooms" } })).toBe(
      "How far does a walker get, leaving 14 cool rooms, within 5, 10, 15 minutes?",
    ));
  it("turns round with the direction", () =>
    expect(read({ places: { layer: "cool_rooms" }, direction: "to", limits: [10] })).toBe(
      "From how far does a walker come, bound for 14 cool rooms, within 10 minutes?",
    ));
  it("names points by their street", () =>
    expect(read({ places: { type: "FeatureCollection", features: [pointFeature(1, 2, "Curl Lane")] } })).toContain(
      "leaving Curl Lane,",
    ));
  it("never hides a closure", () =>
    expect(read({ places: { layer: "cool_rooms" }, closures: { type: "FeatureCollection", features: [pointFeature(1, 2, "Heron Footbridge")] } })).toMatch(
      /with Heron Footbridge closed\?$/,
    ));
  it("says the filter of a layer", () =>
    expect(read({ places: { layer: "cool_rooms", where: "seats > 40" } })).toContain("cool rooms where seats > 40"));
});

describe("centrality in words", () => {
  const of = (name: string, value: unknown, words?: Record<string, string>, measure = "distance") =>
    slotWords(name, { kind: "amount", label: "", default: null, ...(words ? { words } : {}) }, value, layers, { measure });
  it("counts the radius in what is measured", () => expect([of("radius", 600), of("radius", 8, undefined, "time")]).toEqual(["600 metres", "8 minutes"]));
  it("says what each place counts for", () => expect([of("weight", null), of("weight", "floor_area")]).toEqual(["all counted alike", "each counted by its floor area"]));
  it("names indices, or says that all are wanted", () => {
    const words = { reach: "reach", gravity: "gravity", closeness: "closeness" };
    expect(of("indices", ["reach", "closeness"], words)).toBe("reach and closeness");
    expect(of("indices", ["gravity", "reach", "closeness"], words)).toBe("every index");
  });
  it("begins with the layer of most places", () => {
    const shops = { id: "shops", title: "Shops", role: "places", count: 90 } as LayerInfo;
    expect(freshInputs({ ...process, id: "centrality" }, [...layers, shops], "walk").places).toEqual({ layer: "shops" });
  });
});

describe("a new question", () => {
  it("begins with the layers of the study", () =>
    expect(freshInputs(process, layers, "walk")).toEqual({
      mode: "walk",
      places: { layer: "cool_rooms" },
      limits: [5, 10, 15],
      direction: "from",
    }));
  it("leaves the place open where there is no layer", () =>
    expect(freshInputs(process, [], "cycle").places).toEqual({ type: "FeatureCollection", features: [] }));
});

describe("words of the newer questions", () => {
  const word = (name: string, slot: Partial<Slot>, value: unknown) => slotWords(name, { kind: "amount", label: "", default: null, ...slot }, value, layers, { modes: { drive: "driver" }, questions: { q1: "answer 1" } });
  it("have their units", () => {
    expect(word("distance", {}, 500)).toBe("500 m");
    expect(word("most", {}, 12000)).toBe("at most 12,000 trips");
    expect(word("kind", {}, null)).toBe("all as one");
    expect(word("kind", {}, "land_use")).toBe("by land use");
  });
  it("say layers in a chain and places that differ", () => {
    expect(word("layers", { kind: "place", many: true }, [{ layer: "zones" }, { layer: "cool_rooms", where: "seats > 40" }])).toBe("zones, then on them cool rooms where seats > 40");
    expect(word("differs", { kind: "way" }, [{ where: "seats > 60", mode: "drive", add_minutes: 3 }])).toBe("by a driver, 3 min longer, where seats > 60");
  });
  it("stand in the sentence only where some places differ", () => {
    const text = (differs: unknown[]) => sentencePieces({ ...process }, { differs }).some((piece) => "slot" in piece && piece.slot === "differs");
    expect(text([])).toBe(false);
    expect(text([{ where: "seats > 60" }])).toBe(true);
  });
  it("name the answer they rest on", () => {
    expect(word("from", { kind: "place" }, { layer: "zones", inside: "q1" })).toBe("zones inside answer 1");
    expect(word("from", { kind: "place" }, { answer: "q1", part: "places" })).toBe("places of answer 1");
    expect(restsOn({ from: { layer: "zones", inside: "q1" }, layers: [{ answer: "q2" }], to: { layer: "rooms" } })).toEqual(["q1", "q2"]);
  });
});

describe("words an access question holds only once they are asked for", () => {
  const access: ProcessInfo = {
    ...process,
    id: "access",
    "x-awl": {
      opening: "Who lives near",
      sentences: [{ when: {}, text: "Who lives near {places} of {zones}?" }],
      slots: {
        ...slots,
        zones: { kind: "place", label: "Zones", nothing: "the population raster in squares", default: null },
        against: { kind: "way", label: "Set against", default: null },
        candidates: { kind: "place", label: "Candidates", default: null },
        choose: { kind: "amount", label: "How many", default: 3 },
      },
    },
  };
  const said = (inputs: Record<string, unknown>) =>
    sentencePieces(access, { places: { layer: "cool_rooms" }, zones: { layer: "zones" }, ...inputs })
      .map((piece) => {
        if ("text" in piece) return piece.text;
        const slot = access["x-awl"].slots[piece.slot];
        return slot ? slotWords(piece.slot, slot, { places: { layer: "cool_rooms" }, zones: { layer: "zones" }, ...inputs }[piece.slot], layers, { modes: { cycle: "cyclist" } }) : "";
      })
      .join("");
  const bridge = { type: "FeatureCollection", features: [pointFeature(1, 2, "Quay Bridge")] };
  it("are candidates and how many of them", () =>
    expect(said({ candidates: { layer: "cool_rooms" }, choose: 2 })).toBe("Who lives near 14 cool rooms of 32 zones, adding the best 2 of 14 cool rooms?"));
  it("are what else holds in a second run", () => {
    expect(said({ against: { closures: bridge } })).toBe("Who lives near 14 cool rooms of 32 zones, set against the same with Quay Bridge closed?");
    expect(said({ against: { mode: "cycle", at: "2026-06-03T08:00" } })).toMatch(/set against a cyclist on .*8:00\?$/);
    expect(said({ against: { at: null, closures: null } })).toContain("set against the same in free flow with no street closed?");
    expect(said({ against: { places: { layer: "zones" }, direction: "from" } })).toContain("the same for 32 zones being served from there?");
  });
  it("and without zones the raster in squares", () => expect(said({ zones: null })).toBe("Who lives near 14 cool rooms of the population raster in squares?"));
  it("are not there when a question is new", () => {
    expect(Object.keys(freshInputs(access, layers, "walk")).sort()).toEqual(["direction", "limits", "mode", "places", "zones"]);
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
  it("stand in the sentence once they are asked for", () => {
    const process = { id: "matrix", title: "", description: "", "x-awl": { opening: "How long", sentences: [{ when: {}, text: "How long?" }], slots: { at: { kind: "time", label: "Hour", default: null }, hours: { kind: "time", label: "Hours", default: [] } } } } as unknown as ProcessInfo;
    const said = (inputs: Record<string, unknown>) => sentencePieces(process, inputs).map((piece) => ("text" in piece ? piece.text : slotWords(piece.slot, process["x-awl"].slots[piece.slot] as Slot, inputs[piece.slot], [], {}))).join("");
    expect(said({ at: "2026-06-03T08:00" })).not.toContain("o'clock");
    expect(said({ at: "2026-06-03T08:00", hours: [6, 7, 8] })).toMatch(/, and at 6 to 8 o'clock\?$/);
  });
});
