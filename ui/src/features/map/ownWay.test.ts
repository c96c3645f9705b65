import { describe, expect, it } from "vitest";
import { pointFeature } from "../../api/inputs";
import { nearestVertex, withPoint } from "./ownWay";

const line = [[0, 60], [1, 60], [2, 60], [3, 60]];
const names = (points: ReturnType<typeof withPoint>) => points.map(({ properties }) => properties.name);

describe("a way that is dragged", () => {
  it("is taken at the nearest vertex; a degree of longitude counts less up north", () => {
    expect(nearestVertex(line, [1.4, 60])).toBe(1);
    expect(nearestVertex([[0, 60], [0.9, 60.6]], [0.9, 60])).toBe(0);
  });
  it("passes its points in the order of the drawn way", () => {
    const first = withPoint([], pointFeature(1, 61, "middle"), [1.6, 60], line);
    const second = withPoint(first, pointFeature(0.1, 61, "early"), [0.2, 60], line);
    const third = withPoint(second, pointFeature(2.9, 61, "late"), [2.9, 60], line);
    expect(names(third)).toEqual(["early", "middle", "late"]);
  });
});
