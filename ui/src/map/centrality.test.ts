import { beforeAll, describe, expect, it } from "vitest";
import { answerOf, question, setTokens, square, TOKENS } from "../testing/fixtures";
import { centralityShown } from "./centrality";
import type { MapContent } from "./content";

const empty = (): MapContent => ({ overlays: {}, streets: { kind: "plain" }, groups: [], bandCount: 3, order: [] });
const set = (...features: object[]) => ({ type: "FeatureCollection", features });
const place = (name: string, reach: number | null, betweenness: number | null) => square(0, { name, reach, betweenness });
const answer = answerOf(question("q", "centrality", { indices: ["reach", "betweenness"] }), {
  places: set(place("A", 1, 0), place("B", 2, 40), place("C", 30, 90), place("D", null, null)),
  streets: set(square(0, { trips: 90 }), square(1, { trips: 3 })),
});
const look = (field: string | null, classing: "equal" | "natural" = "equal") => ({ field, classing, own: null });

beforeAll(() => setTokens(TOKENS));

describe("centrality", () => {
  it("grades places by the first index in natural breaks, and counts each once", () => {
    const content = empty();
    centralityShown(content, answer, {}, "B", look(null));
    const [group] = content.groups;
    expect(group?.title).toBe("Reach");
    expect(group?.zones).toMatchObject({ of: "places", field: "reach", classing: "natural" });
    expect(group?.rows.reduce((sum, { count }) => sum + (count ?? 0), 0)).toBe(4);
    expect(group?.rows[group.rows.length - 1]).toMatchObject({ label: "no value", count: 1 });
    const dots = content.overlays.graded?.features.map(({ properties }) => properties) ?? [];
    expect(dots.map((one) => one?.name as string)).toEqual(["D", "A", "B", "C"]);
    expect(dots.map((one) => one?.chosen as boolean)).toEqual([false, false, true, false]);
    expect(content.overlays.owned).toBeUndefined();
  });
  it("draws streets beside betweenness, the most passed last and widest", () => {
    const content = empty();
    centralityShown(content, answer, {}, null, look("betweenness"));
    const widths = content.overlays.owned?.features.map(({ properties }) => properties?.width as number) ?? [];
    expect(widths).toHaveLength(2);
    expect(widths[0]).toBeLessThan(widths[1] ?? 0);
    expect(content.groups.map(({ title }) => title)).toEqual(["Betweenness", "Trips between places"]);
  });
  it("leaves out what the legend switches off", () => {
    const content = empty();
    centralityShown(content, answer, { passed: true, "class--1": true, "class-0": true }, null, look("betweenness", "natural"));
    expect(content.overlays.owned).toBeUndefined();
    expect(content.overlays.graded?.features.map(({ properties }) => properties?.name as string)).toEqual(["B", "C"]);
  });
  it("draws many places small and without a rim, but for the chosen one", () => {
    const content = empty();
    const many = Array.from({ length: 1200 }, (_, i) => place(`P${i}`, i, 0));
    centralityShown(content, answerOf(question("q", "centrality", {}), { places: set(...many) }), {}, "P7", look(null));
    const dots = content.overlays.graded?.features ?? [];
    expect(dots.filter(({ properties }) => properties && !("bare" in properties)).map(({ properties }) => properties?.name as string)).toEqual(["P7"]);
  });
});
