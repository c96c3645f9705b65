/** Edits: what corners of a new street become, where edits go, what the ledger and the slips say. */
import { fireEvent, render, screen as page, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Packed } from "../../api/packed";
import { screenNow, screenStore } from "../../state/screen";
import { framed, OVERVIEW } from "../../testing/fixtures";
import { snapped } from "../map/sketching";
import { Editing } from "./Editing";
import { Fixes } from "./Fixes";
import { streetsAlong } from "./streetsAlong";

const text = () => document.body.textContent ?? "";
const LEDGER = {
  steps: [
    { step: 1, made: "2026-06-01T08:00:00Z", undone: false, misfits: ["The streets have no link 7"], edits: { features: [{ properties: { edit: "add", tags: { highway: "footway", name: "New Cut" } } }] } },
    { step: 2, made: "2026-06-01T08:05:00Z", undone: true, misfits: [], edits: { features: [{ properties: { edit: "change", links: [1, 2], tags: { maxspeed: "20", oneway: null } } }] } },
  ],
  undo: 1,
  redo: 1,
};
const SLIP = { id: "mill", title: "a mill bridge were built", description: "", date: "", at: "", modes: {}, places: [], lines: [], changed: "2026-06-01T08:00:00Z", edits: 2 };
const WITH = { ...OVERVIEW, whatIfs: [{ id: "mill", title: SLIP.title, version: "v1" }] };
let sent: { path: string; method: string; body: Record<string, unknown> }[] = [];

beforeEach(() => {
  screenStore.setState({ study: "ferrow", stage: "streets" });
  sent = [];
  vi.stubGlobal("fetch", (path: string, init?: RequestInit) => {
    const method = init?.method ?? "GET";
    if (method !== "GET") sent.push({ path, method, body: JSON.parse(String(init?.body ?? "{}")) as Record<string, unknown> });
    const answer = path.includes("/mend")
      ? { findings: 3, unmended: 1, lines: { type: "FeatureCollection", features: [] }, step: 3, links: [], revision: "r2", version: "" }
      : path.endsWith("/what-ifs")
        ? { what_ifs: [SLIP] }
        : path.includes("/edits")
          ? method === "GET" ? LEDGER : { step: 3, links: [1], revision: "r2", version: "" }
          : path.includes("/sheets/")
            ? { id: "main", title: "", blocks: [], undo: 0, changed: "" }
            : { processes: [] };
    return Promise.resolve(new Response(JSON.stringify(answer)));
  });
});

describe("a street that is drawn", () => {
  it("ends and begins anew at every corner that meets something", () => {
    const edits = streetsAlong(
      [{ at: [0, 0], on: "node" }, { at: [1, 0], on: "free" }, { at: [2, 0], on: "street" }, { at: [3, 0], on: "free" }],
      { highway: "footway" },
    );
    expect(edits.map(({ geometry }) => geometry && "coordinates" in geometry && geometry.coordinates)).toEqual([[[0, 0], [1, 0], [2, 0]], [[2, 0], [3, 0]]]);
  });

  it("meets a junction before a street, and nothing beyond its reach", () => {
    // One street of two segments along the equator, with junctions at its ends.
    const arrays = [new Float64Array([0, 0.001, 0.002]), new Float64Array([0, 0, 0]), new Float64Array(3), new Uint32Array([0, 3]), 0, 0, 0, 0, new Float64Array([0, 0.002]), new Float64Array([0, 0])];
    const streets = { head: {}, arrays } as unknown as Packed;
    expect(snapped(streets, [0.00004, 0.00002], 10)).toEqual({ at: [0, 0], on: "node" });
    expect(snapped(streets, [0.0013, 0.00005], 10)).toEqual({ at: [0.0013, 0], on: "street" });
    expect(snapped(streets, [0.0013, 0.0005], 10)).toEqual({ at: [0.0013, 0.0005], on: "free" });
    expect(snapped(null, [1, 2], 10).on).toBe("free");
  });

  it("takes corners back, and is sent as one step when Enter ends it", async () => {
    render(<Editing overview={OVERVIEW} />, { wrapper: framed() });
    fireEvent.click(page.getByText("Draw it on the map"));
    for (const at of [[0, 0], [1, 1], [5, 5]] as [number, number][]) screenNow().addCorner({ at, on: "free" });
    fireEvent.keyDown(window, { key: "Backspace" });
    fireEvent.keyDown(window, { key: "Enter" });
    await waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]?.body).toMatchObject({ what_if: null, edits: [{ geometry: { coordinates: [[0, 0], [1, 1]] }, properties: { edit: "add", tags: { highway: "residential" } } }] });
    expect(screenNow().sketch).toBeNull();
  });

  it("is given up with Escape", () => {
    render(<Editing overview={OVERVIEW} />, { wrapper: framed() });
    fireEvent.click(page.getByText("Draw it on the map"));
    screenNow().addCorner({ at: [0, 0], on: "free" });
    fireEvent.keyDown(window, { key: "Escape" });
    expect(screenNow().sketch).toBeNull();
    expect(sent).toEqual([]);
  });
});

describe("many streets at once", () => {
  it("are changed by a condition", async () => {
    render(<Editing overview={OVERVIEW} />, { wrapper: framed() });
    expect(page.getByText<HTMLButtonElement>("Change them").disabled).toBe(true);
    for (const [label, value] of [["Condition in CQL2", "highway = 'residential'"], ["Value", "20"]] as const) {
      fireEvent.change(page.getByLabelText(label), { target: { value } });
      fireEvent.blur(page.getByLabelText(label));
    }
    fireEvent.click(page.getByText("Change them"));
    await waitFor(() => expect(sent[0]?.body).toMatchObject({ where: "highway = 'residential'", edits: [{ properties: { edit: "change", tags: { maxspeed: "20" } } }] }));
    await waitFor(() => expect(screenNow().notice).toBe("1 street is changed."));
  });
});

describe("the ledger", () => {
  it("says what each step did, what is taken back, and what does not fit", async () => {
    render(<Editing overview={OVERVIEW} />, { wrapper: framed() });
    await page.findByText(/Drew New Cut/);
    expect(text()).toContain("The streets have no link 7");
    expect(text()).toMatch(/maxspeed 20, no oneway on 2 streets.*taken back/);
    fireEvent.keyDown(window, { key: "u" });
    await waitFor(() => expect(sent[0]?.path).toBe("/studies/ferrow/edits/undo"));
    fireEvent.keyDown(window, { key: "U" });
    await waitFor(() => expect(sent[1]?.path).toBe("/studies/ferrow/edits/redo"));
  });
});

describe("what-ifs", () => {
  it("are chosen for edits, copied, merged and dropped", async () => {
    render(<Editing overview={WITH} />, { wrapper: framed() });
    fireEvent.change(page.getByLabelText("What edits change"), { target: { value: "mill" } });
    expect(screenNow().scope).toBe("mill");
    await page.findByDisplayValue(SLIP.title);
    expect(text()).toContain("2 edits");
    fireEvent.click(page.getByText("Copy"));
    await waitFor(() => expect(sent[0]).toMatchObject({ path: "/studies/ferrow/what-ifs/mill/copy", body: { title: `${SLIP.title}, another` } }));
    fireEvent.click(page.getByText("Merge into the streets"));
    expect(screenNow().scope).toBeNull();
    await waitFor(() => expect(sent[1]?.path).toBe("/studies/ferrow/what-ifs/mill/merge"));
    fireEvent.click(page.getByText("Drop"));
    await waitFor(() => expect(sent[2]).toMatchObject({ path: "/studies/ferrow/what-ifs/mill", method: "DELETE" }));
  });

  it("are made by a title", async () => {
    render(<Editing overview={OVERVIEW} />, { wrapper: framed() });
    fireEvent.change(page.getByLabelText("What edits change"), { target: { value: "+" } });
    const field = page.getByLabelText("Title of the what-if");
    fireEvent.change(field, { target: { value: "a mill bridge were built" } });
    fireEvent.blur(field);
    await waitFor(() => expect(sent[0]).toMatchObject({ path: "/studies/ferrow/what-ifs", body: { title: "a mill bridge were built" } }));
  });
});

describe("fixes", () => {
  const finding = { type: "Feature" as const, geometry: { type: "Point" as const, coordinates: [0, 0] }, properties: { kind: "near-miss", number: 4, fixes: ["Join them"] } };
  const kinds = [{ kind: "near-miss", grade: "error" as const, title: "Ends", why: "", count: 4 }];

  it("show what would change before it is done, for one and for all", async () => {
    render(<Fixes finding={finding} kinds={kinds} overview={OVERVIEW} />, { wrapper: framed() });
    fireEvent.keyDown(window, { key: "Enter" });
    await page.findByText("3 of 4 findings would be mended so.");
    expect(sent[0]?.body).toMatchObject({ kind: "near-miss", numbers: [4], fix: "Join them", preview: true });
    fireEvent.click(page.getByText("Leave it"));
    expect(screenNow().ghosts).toBeNull();
    fireEvent.click(page.getByText("Join them: all 4"));
    await page.findByText("3 of 4 findings would be mended so.");
    fireEvent.click(page.getByText("Join them"));
    await waitFor(() => expect(sent[2]?.body).toMatchObject({ kind: "near-miss", numbers: null, what_if: null }));
    expect(sent[2]?.body).not.toHaveProperty("preview");
  });

  it("are not offered where only somebody who knows the place can tell", () => {
    render(<Fixes finding={{ ...finding, properties: { ...finding.properties, fixes: [] } }} kinds={kinds} overview={OVERVIEW} />, { wrapper: framed() });
    expect(text()).toContain("who knows the place");
  });
});
