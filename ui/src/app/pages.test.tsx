import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type { Street } from "../api/studies";
import { Legend, scaleLength } from "../features/legend/Legend";
import { screenNow, screenStore } from "../state/screen";
import { answerOf, BUILD, framed, OVERVIEW, question, sheetOf } from "../testing/fixtures";
import { Stepper } from "./Stepper";
import { rowsOf } from "../features/results/grid";
import { StreetCard } from "../features/results/StreetCard";
import { Sources } from "../features/sources/Sources";
import { Streets } from "../features/streets/Streets";

const reset = screenNow();
beforeEach(() => screenStore.setState({ ...reset, study: "ferrow" }));
afterEach(cleanup);
const text = () => document.body.textContent ?? "";

describe("the thread", () => {
  const block = question("q1", "isochrone", { limits: [5] });
  const thread = (answer: unknown, overview = OVERVIEW) => {
    const wrapper = framed([[["answer", "ferrow", "q1"], answer]]);
    render(<Stepper overview={overview} sheet={sheetOf(block)} />, { wrapper });
  };
  it("is closed where all is up to date", () => {
    thread(answerOf(block, {}));
    expect(text()).not.toMatch(/stale|failed|no streets/);
  });
  it("opens before the handout when an answer is stale", () => {
    thread(answerOf({ ...block, inputs: { limits: [10] } }, {}));
    expect(text()).toContain("stale");
  });
  it("opens after a rebuild, though no word has changed", () => {
    thread(answerOf(block, {}, false));
    expect(text()).toContain("stale");
  });
  it("is marked where a question failed", () => {
    screenNow().setRun("q1", { error: "no way" });
    thread(null);
    expect(text()).toContain("1 failed");
  });
  it("says that there are no streets yet", () => {
    thread(null, { ...OVERVIEW, revision: "" });
    expect(text()).toContain("no streets yet");
  });
});

describe("the legend", () => {
  const groups = [{ title: "Graph", rows: [{ key: "nodes", label: "Node", count: 12345, swatch: { kind: "circle" as const } }, { key: "", label: "Link", swatch: { kind: "line" as const } }] }];
  it("switches a row and says so", () => {
    const { rerender } = render(<Legend groups={groups} metresPerPixel={5} />);
    const row = screen.getByRole("button", { name: /Node 12,345/ });
    expect(row.getAttribute("aria-pressed")).toBe("true");
    fireEvent.click(row);
    rerender(<Legend groups={groups} metresPerPixel={5} />);
    expect(screenNow().hidden.nodes).toBe(true);
    expect(row.getAttribute("aria-pressed")).toBe("false");
  });
  it("keeps a row without a switch from being pressed", () => {
    render(<Legend groups={groups} metresPerPixel={5} />);
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "Link" }).disabled).toBe(true);
  });
  it.each([[0.5, 50], [1, 100], [3, 200], [9, 1000], [16, 2000], [40, 5000]])("has a round scale at %f m a pixel", (perPixel, length) => {
    expect(scaleLength(perPixel)).toBe(length);
    expect(length / perPixel).toBeLessThanOrEqual(125);
  });
});

describe("the pages", () => {
  it("say what came in, with units", () => {
    render(<Sources overview={OVERVIEW} />, { wrapper: framed() });
    expect(text()).toContain("By length, 50% of the streets have a posted limit, 90% a name, and 10% are one-way.");
    expect(text()).toContain("Ways refer to 7 nodes that the extract lacks");
    expect(screen.getByRole("cell", { name: "30.0 km" })).toBeTruthy();
    expect(screen.getAllByTitle("From layers.gpkg")).toHaveLength(2);
  });
  it("compare a build with the one before", () => {
    render(<Streets overview={{ ...OVERVIEW, formerBuild: { ...BUILD, links: 400, nodes: 310 } }} />, { wrapper: framed() });
    const row = (name: string) => [...(screen.getByRole("cell", { name }).parentElement?.children ?? [])].map((cell) => cell.textContent);
    expect(row("Links")).toEqual(["Links", "420", "400", "+20"]);
    expect(row("Nodes").at(-1)).toBe("−10");
    expect(row("Border nodes").at(-1)).toBe("same");
  });
  it("tell what was done to plain lines, and only to them", () => {
    render(<Streets overview={OVERVIEW} />, { wrapper: framed() });
    expect(text()).not.toContain("Crossings at one level");
    cleanup();
    render(<Streets overview={{ ...OVERVIEW, build: { ...BUILD, lines: { lines: 109, crossings_broken: 121, tolerance_m: 0.5, ends_joined: 78 } } }} />, { wrapper: framed() });
    expect(screen.getByText("From 109 lines")).toBeTruthy();
    expect(screen.getByText("Ends joined within 0.5 m").nextSibling?.textContent).toBe("78");
  });
  it("offer the way to bring streets in where there are none", () => {
    render(<Streets overview={{ ...OVERVIEW, build: null }} />, { wrapper: framed() });
    fireEvent.click(screen.getByText("Bring one in"));
    expect(location.hash).toBe("#/ferrow/sources");
  });
});

describe("a street's card", () => {
  const street = {
    link_id: 33507, name: null, highway: "footway", length_m: 164.2, from_node_id: 7, to_node_id: 9, osm_way_id: 410131, osm_way_ids: [410131, 410132], costs: { effort: [3, null] }, tags: { lit: "yes", name: "x" },
    usable: false, reason: "an access tag forbids it", rule: null, barriers: ["gate"], speed_kmh: 4.8, speed_source: "speed of its class", forward_s: null, backward_s: 75, chain: ["Class footway: used, 4.8 km/h."],
  } as unknown as Street;
  it("says why it is not used, and the time of each way", () => {
    render(<StreetCard street={street} onClose={() => undefined} />);
    expect(text()).toContain("Unnamed footway");
    expect(text()).toContain("no: an access tag forbids it");
    expect(text()).toContain("Class footway: used");
    expect(text()).toContain("not allowed from node 7 to 9");
    expect(text()).toContain("1 min from node 9 to 7");
    expect(text()).toContain("410131, 410132");
    expect(text()).toContain("3 as drawn, barred against it");
    expect(screen.queryByText("name")).toBeNull();
  });
});

it("takes rows from features or from records", () => {
  const features = { type: "FeatureCollection", features: [{ properties: { zone: "a" } }, { properties: { zone: "b" } }] };
  const result = (more: object) => more as unknown as Parameters<typeof rowsOf>[0];
  expect(rowsOf(result({ zones: features }), "zones").map(({ zone }) => zone)).toEqual(["a", "b"]);
  expect(rowsOf(result({ rows: [{ id: "a", x: 1 }] }), "rows")).toEqual([{ id: "a", x: 1, ":row": 0 }]);
  expect(rowsOf(result({}), "rows")).toEqual([]);
});
