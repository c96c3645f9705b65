import { describe, expect, it } from "vitest";
import { layersInOrder, moved, present, wholeOrder } from "./order";
import { collection } from "./shapes";

const STYLE = ["ground", "areas", "zones", "building", "found", "found-edge", "water", "water-edge", "streets", "owned", "contours", "zone-edges", "route-case", "routes", "routes-second", "overlaid-case", "overlaid", "street-names", "places"];

const SPOT = collection([{ type: "Feature", properties: {}, geometry: { type: "Point", coordinates: [0, 0] } }]);

describe("the order of what is drawn", () => {
  it("names everything once, whatever an answer says of it", () => {
    for (const order of [[], ["areas"], ["nonsense", "water", "places"]]) expect(new Set(wholeOrder(order)).size).toBe(11);
    expect(wholeOrder(["areas", "places"]).slice(0, 2)).toEqual(["areas", "places"]);
  });
  it("goes past the next thing that is shown, not past what is not there", () => {
    const shown = present({ overlays: { areas: SPOT, contours: SPOT }, dots: null }, (layer) => layer === "water");
    expect(shown).toEqual(["contours", "streets", "water", "areas"]);
    const raised = moved([], shown, "areas", -1);
    expect(raised.filter((one) => shown.includes(one))).toEqual(["contours", "streets", "areas", "water"]);
    expect(moved(raised, shown, "areas", 1).filter((one) => shown.includes(one))).toEqual(shown);
    expect(moved([], shown, "contours", -1)).toEqual(wholeOrder([]));
  });
  it("shares out the places of layers in a style and leaves the others where they are", () => {
    const over = layersInOrder(STYLE, ["areas", "places"]);
    expect(over.slice(-2)).toEqual(["areas", "street-names"]);
    expect([...over].sort()).toEqual([...STYLE].sort());
    expect(over[0]).toBe("ground");
    const under = layersInOrder(STYLE, ["places", "ways", "contours", "load", "streets", "water", "found", "buildings", "zones", "areas", "other"]);
    expect(under.slice(1, 3)).toEqual(["overlaid-case", "overlaid"]);
  });
});
