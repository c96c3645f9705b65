import { spanOf } from "./frame";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { screenNow, screenStore } from "../../state/screen";
import { answerOf, framed, OVERVIEW, question, setTokens, sheetOf, square, TOKENS } from "../../testing/fixtures";
import { curvesOf } from "./curves";
import { ResultsPanel } from "./ResultsPanel";

const zones = {
  type: "FeatureCollection",
  features: [
    square(0, { zone: "Quay 1", population: 100, population_within_5: 20, population_within_10: 60, share_within_5: 20 }),
    square(1, { zone: "Quay 2", population: 50, population_within_5: 50, population_within_10: 50, share_within_5: 100 }),
  ],
};
const column = (field: string, title: string) => ({ field, title, unit: "", digits: null });
const result = {
  title: "Walk", zones, totals: [{ field: "population", group: "population", total: 150 }],
  near: [{ zone: "Quay 1", place: "Baths", share: 60, minutes: 4.2 }],
  curves: [{ zone: "Quay 1", within_0: 0, within_5: 20 }, { zone: "Quay 2", within_0: 0, within_5: 100 }],
  schema: {
    zones: [{ name: "zone", type: "text" }, { name: "population", type: "integer", unit: "people" }, { name: "share_within_5", type: "number", unit: "%" }],
    curves: [{ name: "zone", type: "text" }, { name: "within_0", type: "number", limit: 0 }, { name: "within_5", type: "number", limit: 5 }],
  },
  view: {
  tables: [
    { part: "zones", key: "zone", curves: "curves", columns: [column("zone", "Zone"), column("share_within_5", "5 min")] },
    { title: "Groups", part: "totals", columns: [column("group", "Group"), column("total", "People")] },
  ],
  files: [{ format: "csv", part: "zones" }, { format: "gpkg", part: "all" }],
  card: { part: "zones", key: "zone", total: "population", within: "population_within_10", limit: "10 min", columns: ["all", "5 min"], rows: [{ label: "population", fields: ["population", "population_within_5"] }], list_part: "near" },
  charts: [{ kind: "curve", name: "% by minute", title: "Share", part: "curves", x: { label: "minutes", values: [0, 5, 10] }, series: [{ label: "population", values: [0, 40, 70] }], marks: [5, 10] }, { kind: "bars", name: "% by group", title: "Share by group", x: { label: "group", values: ["population"] }, series: [{ label: "5 min", values: [40] }, { label: "10 min", values: [70] }] }],
  },
};
const block = question("q1", "access", { limits: [5, 10] });

beforeAll(async () => {
  await Promise.all([import("./AnswerChart"), import("./AnswerTable")]); // loaded when first needed
  setTokens(TOKENS);
  globalThis.ResizeObserver ??= class { observe() {} unobserve() {} disconnect() {} } as unknown as typeof ResizeObserver;
});
beforeEach(() => {
  screenStore.setState({ study: "ferrow", stage: "sheet", question: "q1", street: null, notice: null, row: null, minute: null });
  render(<ResultsPanel overview={OVERVIEW} />, { wrapper: framed([[["answer", "ferrow", "q1"], answerOf(block, result)], [["sheet", "ferrow", "main"], sheetOf(block)]]) });
});
afterEach(cleanup);

describe("the results of an access answer", () => {
  it("shows zones, or groups instead, and gives away what it shows", () => {
    expect(screen.getByText("2 rows")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Groups" }));
    expect(screen.getByText("1 row")).toBeTruthy();
    expect(screen.getByRole("link", { name: "CSV" }).getAttribute("href")).toContain("/q1/totals?");
  });
  it("has a cursor on its curve that the map follows, and lets go of it", async () => {
    const cursor = await screen.findByLabelText("Minute shown on the map");
    expect(screen.getByText("at 10 min")).toBeTruthy();
    fireEvent.change(cursor, { target: { value: 5 } });
    expect(screenNow().minute).toBe(5);
    expect(screen.getByText("at 5 min")).toBeTruthy();
    fireEvent.click(screen.getByText("back to the limits"));
    expect(screenNow().minute).toBeNull();
  });
  it("draws bars by group with a key", async () => {
    fireEvent.click(await screen.findByRole("button", { name: "% by group" }));
    expect(screen.getAllByText("10 min").length).toBeGreaterThan(0);
    expect(screen.queryByLabelText("Minute shown on the map")).toBeNull();
  });
  it("tells of a chosen zone its people, its places, and what is missing", () => {
    screenStore.setState({ row: "Quay 1" });
    return screen.findByText("No place within 10 min for 40 of 100, population.").then(() => {
      expect(screen.getByText("Baths").parentElement?.textContent).toBe("Baths, 4.2 min, for 60% of the people");
      fireEvent.click(screen.getByText("Back to the chart"));
      expect(screenNow().row).toBeNull();
    });
  });
});

it("shares by minute are read by zone", () => {
  expect(curvesOf(answerOf(block, result).result, "curves", "zone")).toEqual(new Map([["Quay 1", [0, 20]], ["Quay 2", [0, 100]]]));
  expect(curvesOf(answerOf(block, {}).result, undefined, "zone").size).toBe(0);
});

it("bars that fall below zero are centred on it", () => {
  expect(spanOf([3, null, 5])).toEqual({ min: 0 });
  expect(spanOf([3, -8, null])).toEqual({ min: -8, max: 8 });
  expect(spanOf([])).toEqual({ min: 0 });
});
