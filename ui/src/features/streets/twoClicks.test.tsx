/** Acts of two clicks, what-ifs that change more than streets, and files of edits. */
import { act, fireEvent, render, screen as page, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { DrawnLine, WhatIf } from "../../api/edits";
import type { Overview, Street } from "../../api/studies";
import { screenNow, screenStore } from "../../state/screen";
import { framed, OVERVIEW } from "../../testing/fixtures";
import { EditFiles } from "./EditFiles";
import { SlipMembers } from "./SlipMembers";
import { editsOf, endAt, footOn, TwoClicks } from "./TwoClicks";

const street = (link: number, ends: [number, number, number, Record<string, string>?][], turns: Street["turns"] = []) =>
  ({
    link_id: link,
    ends: ends.map(([node_id, lon, lat, tags = {}]) => ({ node_id, lon, lat, tags })),
    turns,
    line: { type: "LineString", coordinates: ends.map(([, lon, lat]) => [lon, lat]) },
  }) as unknown as Street;
const EAST = street(1, [[10, 0, 0], [11, 0.002, 0]]);
const NORTH = street(2, [[11, 0.002, 0, { barrier: "gate", foot: "yes" }], [12, 0.002, 0.002]]);
const at = (s: Street, lon: number, lat: number) => ({ street: s, at: [lon, lat] as [number, number], reach: 12 });

describe("an act of two clicks", () => {
  it("takes the end of a street that is near the click", () => {
    expect(endAt(at(EAST, 0.00005, 0))?.node_id).toBe(10);
    expect(endAt(at(EAST, 0.001, 0))).toBeNull();
    expect(footOn(EAST, [0.0007, 0.0004])).toEqual([0.0007, 0]);
  });

  it("moves a junction to where the second click is", () => {
    expect(editsOf("move", at(EAST, 0, 0), at(NORTH, 0.0005, 0.0005))).toMatchObject([[{ geometry: { coordinates: [0.0005, 0.0005] }, properties: { edit: "move", node: 10 } }], "The junction is moved."]);
  });

  it("leads the end of one street to the other, or to its junction", () => {
    expect(editsOf("join", at(EAST, 0.0019, 0), at(NORTH, 0.002, 0.001))).toMatchObject([[{ geometry: { coordinates: [0.002, 0.001] }, properties: { edit: "join", links: [1, 2] } }], "The streets meet."]);
    expect(editsOf("join", at(EAST, 0, 0), at(NORTH, 0.002, 0.00201))).toMatchObject([[{ geometry: { coordinates: [0.002, 0.002] } }], "The streets meet."]);
    expect(editsOf("join", at(EAST, 0, 0), at(EAST, 0.001, 0))).toBe("Click another street.");
  });

  it("bars a turn over the junction of both, and allows one that is barred", () => {
    expect(editsOf("bar", at(EAST, 0.001, 0), at(NORTH, 0.002, 0.001))).toMatchObject([[{ properties: { edit: "restrict", node: 11, links: [1, 2] } }], "One may not turn there."]);
    const barred = { ...EAST, turns: [{ node: 11, to: 2, kind: "no_left_turn" }] };
    expect(editsOf("bar", at(barred, 0.001, 0), at(NORTH, 0.002, 0.001))).toMatchObject([[{ properties: { edit: "allow", node: 11, links: [1, 2] } }], "One may turn there again."]);
    expect(editsOf("bar", at(EAST, 0.001, 0), at(street(3, [[20, 1, 1], [21, 1, 2]]), 1, 1))).toMatch(/do not meet/);
  });

  it("takes a barrier from its junction and stands it on a street, as one step", () => {
    const outcome = editsOf("barrier", at(NORTH, 0.002, 0), at(EAST, 0.001, 0.00002));
    expect(outcome).toMatchObject([
      [
        { properties: { edit: "node", node: 11, tags: { barrier: null, foot: null } } },
        { geometry: { coordinates: [0.001, 0] }, properties: { edit: "split", links: [1], tags: { barrier: "gate", foot: "yes" } } },
      ],
      "The barrier is moved.",
    ]);
  });
});

let sent: { path: string; method: string; body: unknown }[] = [];
beforeEach(() => {
  screenStore.setState({ study: "ferrow", stage: "streets", aim: null, aimed: null, scope: null });
  sent = [];
  vi.stubGlobal("fetch", (path: string, init?: RequestInit) => {
    const method = init?.method ?? "GET";
    if (method !== "GET") sent.push({ path, method, body: JSON.parse(String(init?.body ?? "{}")) });
    const ledger = { steps: [{ step: 1, made: "2026-06-01T08:00:00Z", undone: false, misfits: [], edits: { features: [] } }], undo: 1, redo: 0 };
    return Promise.resolve(new Response(JSON.stringify(method === "GET" ? ledger : { step: 3, links: [1], revision: "r2", version: "" })));
  });
});

describe("the sentence of two clicks", () => {
  it("says what the next click is for, and sends the edit after the second", async () => {
    render(<TwoClicks overview={OVERVIEW} />, { wrapper: framed() });
    fireEvent.change(page.getByLabelText("What two clicks do"), { target: { value: "bar" } });
    fireEvent.click(page.getByText("Begin"));
    await page.findByText("Click the street one comes from");
    act(() => screenNow().clickAim(at(EAST, 0.001, 0)));
    await page.findByText("Click the street one would turn into");
    act(() => screenNow().clickAim(at(NORTH, 0.002, 0.001)));
    await waitFor(() => expect(sent[0]).toMatchObject({ path: "/studies/ferrow/edits", body: { edits: [{ properties: { edit: "restrict" } }] } }));
    expect(screenNow().aim).toBeNull();
  });

  it("waits on where a click does not fit, and is given up with Escape", async () => {
    render(<TwoClicks overview={OVERVIEW} />, { wrapper: framed() });
    fireEvent.click(page.getByText("Begin"));
    act(() => screenNow().clickAim(at(EAST, 0.001, 0)));
    await waitFor(() => expect(screenNow().notice).toMatch(/No junction is there/));
    expect(screenNow().aim).toEqual({ act: "move", first: null });
    fireEvent.keyDown(window, { key: "Escape" });
    expect(screenNow().aim).toBeNull();
    expect(sent).toEqual([]);
  });
});

describe("a what-if beside streets", () => {
  const one: WhatIf = { id: "mill", title: "Mill", description: "", date: "", at: "", modes: { drive: { top_speed: 80 } }, places: [], lines: [], changed: "", edits: 0 };
  const modes = ["walk", "drive"].map((id) => ({ id, title: id, document: { transit: id === "walk" ? {} : null } })) as unknown as Overview["modes"];
  const overview: Overview = { ...OVERVIEW, modes };
  const [layer] = overview.layers.filter(({ role }) => role === "places");

  it("gets a line whose stops are clicked, and changes what is said of it", async () => {
    const put = vi.fn();
    const { rerender } = render(<SlipMembers overview={overview} one={one} put={put} />, { wrapper: framed() });
    fireEvent.click(page.getByText("Draw a line of public transport"));
    expect(screenNow()).toMatchObject({ scope: "mill", sketch: { of: "line", corners: [] } });
    for (const [lng, lat] of [[1, 2], [3, 4], [5, 6]] as const) act(() => screenNow().addCorner({ at: [lng, lat], on: "free" }));
    fireEvent.keyDown(window, { key: "Backspace" });
    fireEvent.keyDown(window, { key: "Enter" });
    expect(screenNow().sketch).toBeNull();
    const line: DrawnLine = { kind: "bus", name: "new 1", stops: [[1, 2], [3, 4]], every_min: 10, first: "06:00", last: "22:00", kmh: 20, both_ways: true, days: "daily" };
    expect(put).toHaveBeenLastCalledWith({ lines: [line] });
    rerender(<SlipMembers overview={overview} one={{ ...one, lines: [line] }} put={put} />);
    await waitFor(() => expect(document.body.textContent).toContain("with 2 stops runs"));
    fireEvent.change(page.getByLabelText("Kind of the line"), { target: { value: "tram" } });
    expect(put).toHaveBeenLastCalledWith({ lines: [{ ...line, kind: "tram" }] });
    const every = page.getByLabelText("Minutes between departures");
    fireEvent.change(every, { target: { value: "7,5" } });
    fireEvent.blur(every);
    expect(put).toHaveBeenLastCalledWith({ lines: [{ ...line, every_min: 7.5 }] });
    fireEvent.click(page.getByText("Leave it out"));
    expect(put).toHaveBeenLastCalledWith({ lines: [] });
  });

  it("changes how fast a mode is and keeps what it changes of others", () => {
    const put = vi.fn();
    render(<SlipMembers overview={overview} one={one} put={put} />, { wrapper: framed() });
    expect(document.body.textContent).toContain("drive at most 80 km/h");
    fireEvent.change(page.getByLabelText("Mode that changes"), { target: { value: "walk" } });
    const field = page.getByLabelText("Top speed of the mode");
    fireEvent.change(field, { target: { value: "3,5" } });
    fireEvent.blur(field);
    expect(put).toHaveBeenCalledWith({ modes: { drive: { top_speed: 80 }, walk: { top_speed: 3.5 } } });
  });

  it("closes a line by a condition, and forgets it where nothing is left of it", () => {
    const rules = { slack_s: 60, routes: "", stops: "", on_wheels: false, with_bicycle: false, stop_m: 100, first_by: "", first_min: 20, park_at: "" };
    const riding = [...modes.map((mode) => ({ ...mode, document: { transit: null } })), { id: "transit", title: "Public transport", document: { transit: rules } }];
    const timed: Overview = { ...overview, modes: riding as unknown as Overview["modes"], timetables: [{ id: "tram" }] as unknown as Overview["timetables"] };
    const put = vi.fn();
    const shown = render(<SlipMembers overview={timed} one={one} put={put} />, { wrapper: framed() });
    const write = (label: string, text: string) => {
      const field = page.getByLabelText(label);
      fireEvent.change(field, { target: { value: text } });
      fireEvent.blur(field);
    };
    write("Condition of lines that run", "name <> '1'");
    const changed = { drive: { top_speed: 80 }, transit: { transit: { ...rules, routes: "name <> '1'" } } };
    expect(put).toHaveBeenLastCalledWith({ modes: changed });
    shown.rerender(<SlipMembers overview={timed} one={{ ...one, modes: changed }} put={put} />);
    expect(document.body.textContent).toContain("other lines or stops");
    write("Condition of lines that run", "");
    expect(put).toHaveBeenLastCalledWith({ modes: { drive: { top_speed: 80 } } });
  });

  it("closes places by a condition and opens one where the map is clicked", () => {
    const put = vi.fn();
    render(<SlipMembers overview={overview} one={one} put={put} />, { wrapper: framed() });
    const field = page.getByLabelText("Condition of what closes");
    fireEvent.change(field, { target: { value: "seats < 20" } });
    fireEvent.blur(field);
    expect(put).toHaveBeenLastCalledWith({ places: [{ layer: layer?.id, close: "seats < 20" }] });
    fireEvent.click(page.getByText("Open one on the map"));
    act(() => screenNow().placing?.([1, 2]));
    expect(put).toHaveBeenLastCalledWith({ places: [{ layer: layer?.id, open: { type: "FeatureCollection", features: [expect.objectContaining({ geometry: { type: "Point", coordinates: [1, 2] } })] } }] });
  });
});

/** The test's browser has no files that tell their text. */
const fileOf = (content: string, name: string) => Object.assign(new File([content], name), { text: () => Promise.resolve(content) });

describe("edits as files", () => {
  it("takes GeoJSON in, and tells what of a change file does not fit", async () => {
    class Sending {
      status = 200;
      responseText = JSON.stringify({ step: null, links: [], misfits: ["Way 9: no street goes there"], passed_over: 2, revision: "r", version: "" });
      upload = {};
      onload: () => void = () => undefined;
      open = (method: string, path: string) => sent.push({ path, method, body: null });
      setRequestHeader = () => undefined;
      send = () => this.onload();
    }
    vi.stubGlobal("XMLHttpRequest", Sending);
    render(<EditFiles overview={OVERVIEW} />, { wrapper: framed() });
    const input = page.getByLabelText<HTMLInputElement>("Apply a file of edits", { selector: "input" });
    const edits = { type: "FeatureCollection", features: [{ type: "Feature", geometry: null, properties: { edit: "delete", links: [4] } }] };
    fireEvent.change(input, { target: { files: [fileOf(JSON.stringify(edits), "cut.geojson")] } });
    await waitFor(() => expect(sent[0]).toMatchObject({ path: "/studies/ferrow/edits", body: { edits: edits.features } }));
    fireEvent.change(input, { target: { files: [fileOf("<osmChange/>", "cut.osc")] } });
    await page.findByText("Way 9: no street goes there");
    expect(sent[1]?.path).toBe("/studies/ferrow/edits/osm-change?name=cut.osc");
    expect(document.body.textContent).toContain("Nothing of cut.osc fits. 2 elements are no streets.");
    fireEvent.change(input, { target: { files: [fileOf("{", "bad.geojson")] } });
    await page.findByRole("alert");
  });
});
