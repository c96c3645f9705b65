import type { Feature } from "geojson";
import type { Map as MapLibre } from "maplibre-gl";
import { expect, it } from "vitest";
import { dotsOf, nearestName } from "./dots";
import { inView, Plane } from "./Plane";

const at = (lon: number, lat: number, name?: string): Feature => ({ type: "Feature", properties: { name }, geometry: { type: "Point", coordinates: [lon, lat] } });
const black = () => ({ colour: "#000000", radius: 2 });
const dots = (...features: Feature[]) => dotsOf(features, black, ({ properties }) => (properties?.name as string | undefined) ?? null);

it("the nearest dot with a name is meant, and none beyond the reach", () => {
  const three = dots(at(0, 0, "far"), at(0.9, 0, "near"), at(1, 0), at(1.05, 0, "nearest"));
  expect(nearestName(three, [0.8, -0.2, 1.2, 0.2])).toBe("nearest");
  expect(nearestName(three, [0.3, -0.1, 0.5, 0.1])).toBeNull();
  // A place without coordinates is nowhere.
  const nowhere: Feature = { type: "Feature", properties: { name: "lost" }, geometry: null as unknown as Feature["geometry"] };
  expect(nearestName(dots(nowhere), [-1, -1, 1, 1])).toBeNull();
});

it("of shapes the first position counts, and like kinds are one", () => {
  const line: Feature = { type: "Feature", properties: {}, geometry: { type: "MultiLineString", coordinates: [[[5, 6], [7, 8]]] } };
  const two = dotsOf([line, at(1, 2), at(3, 4)], (i) => ({ colour: i === 1 ? "#ff0000" : "#00ff00", radius: 2 }), () => null);
  expect([...two.lon, ...two.lat]).toEqual([5, 1, 3, 6, 2, 4]);
  expect([...two.kind]).toEqual([0, 1, 0]);
  expect(two.kinds).toHaveLength(2);
});

it("metres of the plane lie on the canvas where the map has them", () => {
  const [lon, lat, zoom] = [-36.2, 41.29, 14];
  const map = { getCanvas: () => ({ width: 800, height: 600, clientWidth: 400 }), getZoom: () => zoom, getCenter: () => ({ lng: lon, lat }) } as unknown as MapLibre;
  const plane = new Plane(lon + 0.01, lat);
  const pixels = plane.onto(map);
  const [east = 0, south = 0] = plane.metres([lon], [lat]);
  // The middle of the map is the middle of its canvas.
  expect(east * pixels.scale + pixels.offset[0]).toBeCloseTo(400, 1);
  expect(south * pixels.scale + pixels.offset[1]).toBeCloseTo(300, 1);
  // A hundredth of a degree: its share of the circle of latitude, in metres.
  expect(-east).toBeCloseTo((0.01 / 360) * 2 * Math.PI * 6_371_008.8 * Math.cos((lat * Math.PI) / 180), -0.5);
  const [west, north, right, bottom] = inView(pixels, 0);
  expect([west, north, right, bottom].map((side, i) => side * pixels.scale + (pixels.offset[i % 2] ?? 0))).toEqual([0, 0, 800, 600].map((edge) => expect.closeTo(edge, 6) as number));
});
