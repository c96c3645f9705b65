/** The map goes to an answer that it does not show. */
import { expect, test } from "vitest";
import type { Results } from "../api/client";
import { boxOf, extentOf, isSeen, within, type Box } from "./extent";

const line = (coordinates: number[][]) => ({ type: "Feature", properties: {}, geometry: { type: "LineString", coordinates } });
const layer = (part: string) => ({ part, drawn: "points" });
const answer = (parts: object) => ({ view: { map: { outline: ["routes"], layers: [layer("places")] } }, ...parts }) as unknown as Results;

test("an answer lies where what it can be outlined by does, else where what it draws does", () => {
  const routes = { type: "FeatureCollection", features: [line([[1, 2], [3, 1]]), line([[0, 0], [2, 2]])] };
  const places = { type: "FeatureCollection", features: [{ type: "Feature", properties: {}, geometry: { type: "Point", coordinates: [9, 9] } }] };
  expect(extentOf(answer({ places, routes }))).toEqual([0, 0, 3, 2]);
  expect(extentOf(answer({ places, routes: { type: "FeatureCollection", features: [{ type: "Feature", properties: {}, geometry: null }] } }))).toEqual([9, 9, 9, 9]);
  expect(extentOf(answer({ rows: [] }))).toBeNull();
});

const view: Box = [0, 0, 10, 10];
test.each<[string, Box, boolean]>([
  ["fills the view", [1, 1, 9, 9], true],
  ["is larger than the view", [-9, -9, 19, 19], true],
  ["is a speck", [4, 4, 5, 5], false],
  ["is long and thin", [1, 5, 9, 5.1], true],
  ["lies outside", [20, 0, 30, 10], false],
  ["is nearly all outside", [9, 0, 19, 10], false],
])("an answer that %s", (_, box, seen) => expect(isSeen(box, view)).toBe(seen));

test("of an answer that was not looked at before, most must be in view", () => {
  expect(isSeen([-50, -50, 50, 50], view, true)).toBe(false);
  expect(isSeen([-2, -2, 12, 12], view, true)).toBe(true);
});

test("a box lies in a view or reaches out of it", () => {
  const view: Box = [0, 0, 10, 10];
  expect(within([1, 1, 9, 9], view)).toBe(true);
  expect(within([1, 1, 11, 9], view)).toBe(false);
  expect(boxOf({ type: "FeatureCollection", features: [] })).toBeNull();
  expect(boxOf({ type: "FeatureCollection", features: [line([[1, 2], [4, -3]])] } as never)).toEqual([1, -3, 4, 2]);
});
