import { describe, expect, it } from "vitest";
import { canonical, isComplete, isStale, type Answer, type QuestionBlock } from "./sheet";

const block: QuestionBlock = {
  id: "q1",
  kind: "question",
  process: "isochrone",
  inputs: { mode: "walk", limits: [5, 10], places: { layer: "rooms" } },
};
const answer = { fresh: true, inputs: { limits: [5, 10], places: { layer: "rooms" }, mode: "walk" } } as unknown as Answer;

describe("the state of an answer", () => {
  it("is fresh when only the order of keys differs", () => expect(isStale(block, answer)).toBe(false));
  it("is stale when a word changed", () =>
    expect(isStale({ ...block, inputs: { ...block.inputs, limits: [5, 15] } }, answer)).toBe(true));
  it("is stale when the streets changed", () => expect(isStale(block, { ...answer, fresh: false })).toBe(true));
  it("is not stale when there is none", () => expect(isStale(block, null)).toBe(false));
});

describe("canonical", () => {
  it("keeps the order of lists and drops undefined", () => {
    expect(canonical({ b: [2, 1], a: undefined })).toBe('{"b":[2,1]}');
    expect(canonical([1, 2])).not.toBe(canonical([2, 1]));
  });
});

describe("isComplete", () => {
  const points = (count: number) => ({ type: "FeatureCollection", features: Array(count).fill({}) });
  it("waits for two way points", () => {
    expect(isComplete({ waypoints: points(1) })).toBe(false);
    expect(isComplete({ waypoints: points(2) })).toBe(true);
  });
  it("waits for one place", () => expect(isComplete({ places: points(0) })).toBe(false));
  it("takes layers and absent inputs as they are", () => expect(isComplete({ places: { layer: "x" }, zones: null })).toBe(true));
});
