import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Upload, UploadedLayer } from "../../api/uploads";
import { screenNow, screenStore } from "../../state/screen";
import { framed, LAYERS } from "../../testing/fixtures";
import { ImportForm } from "./ImportForm";

const reset = screenNow();
let sent: { address: string; method: string; body: Record<string, unknown> }[];
let answer: (address: string) => object;

beforeEach(() => {
  sent = [];
  answer = () => ({ jobID: "j1", status: "successful", progress: 100, message: "", result: { study: "ferrow" } });
  vi.stubGlobal("fetch", (address: string, init?: RequestInit) => {
    const body = init?.body ? (JSON.parse(init.body as string) as Record<string, unknown>) : {};
    sent.push({ address, method: init?.method ?? "GET", body });
    return Promise.resolve(new Response(JSON.stringify(answer(address)), { status: 200 }));
  });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function open(upload: Partial<Upload>, study: string | null = "ferrow") {
  const whole = { token: "a1", name: "file", layers: [], ...upload } as Upload;
  screenStore.setState({ ...reset, draft: { upload: whole, without: [], area: null } });
  const onDone = vi.fn();
  render(<ImportForm study={study} layers={LAYERS} onDone={onDone} />, { wrapper: framed() });
  return onDone;
}
const choose = (label: string, value: string) => fireEvent.change(screen.getByLabelText(label), { target: { value } });
const press = (text: string) => fireEvent.click(screen.getByText(text));
const posted = (end: string) => sent.find(({ address, method }) => address.endsWith(end) && method === "POST")?.body;
const text = () => document.body.textContent ?? "";

const EXTRACT: Partial<Upload> = {
  kind: "extract",
  extract: {
    ways: 100, streets: 80, length_km: 12.3, bounds: [0, 0, 1, 1], restrictions: 4, barriers: 2, known: { speed: 0.5, name: 0.9, direction: 0.1 },
    classes: [{ class: "residential", count: 60, length_km: 10 }, { class: "service", count: 20, length_km: 2.3 }],
  },
};

describe("an extract", () => {
  it("says what came in and what of it is wanted", () => {
    open(EXTRACT);
    expect(text()).toContain("80 of 100 ways are streets, 12.3 km");
    expect(text()).toContain("4 turn restrictions, 2 barriers");
    press("service");
    expect(screen.getByText("Wanted").parentElement?.textContent).toBe("Wanted6010.0 km");
    expect(text()).toContain("1 of 2 classes");
  });
  it("is built with area, classes and numbers as they stand", async () => {
    const onDone = open(EXTRACT);
    press("service");
    choose("Study area", "layer:zones");
    choose("First node number", "501");
    press("Build streets");
    await waitFor(() => expect(onDone).toHaveBeenCalled());
    expect(posted("/streets")).toMatchObject({ study: "ferrow", without: ["service"], first_node: 501, area: null, area_layer: "zones" });
    expect(screenNow().draft).toBeNull();
  });
  it("waits for the box to be drawn", async () => {
    const onDone = open(EXTRACT);
    choose("Study area", "box");
    expect(screen.getByText<HTMLButtonElement>("Build streets").disabled).toBe(true);
    const box = { type: "Polygon" as const, coordinates: [[[0, 0], [1, 0], [1, 1], [0, 0]]] };
    expect(screenNow().drawing?.kind).toBe("box");
    screenNow().drawing?.done(box);
    await waitFor(() => expect(screen.getByText<HTMLButtonElement>("Build streets").disabled).toBe(false));
    press("Build streets");
    await waitFor(() => expect(onDone).toHaveBeenCalled());
    expect(posted("/streets")).toMatchObject({ area: box });
  });
  it("cannot be built of nothing", () => {
    open(EXTRACT);
    press("service");
    press("residential");
    expect(screen.getByText<HTMLButtonElement>("Build streets").disabled).toBe(true);
  });
});

const layer = (name: string, geometry: UploadedLayer["geometry"], more: Partial<UploadedLayer> = {}): UploadedLayer => ({
  name, geometry, count: 3, crs: "EPSG:4326, WGS 84", fields: {}, ...more,
});
const ROLES = { street_class: "class", name: null, speed: null, direction: null, level: null, cost_forward: null, cost_backward: null, forward: "F", backward: "T", both: "B", default_class: "residential" };

describe("layers", () => {
  it("are added as what they are used as, and left out at will", async () => {
    const onDone = open({ kind: "layers", layers: [layer("wards", "polygon", { role: "zones" }), layer("plots", "polygon", { role: "parcels" }), layer("doors", "point", { role: "places" })] });
    choose("Use of wards", "buildings");
    choose("Use of doors", "out");
    press("Add 2 layers");
    await waitFor(() => expect(onDone).toHaveBeenCalled());
    expect(posted("/layers")?.layers).toEqual([{ name: "wards", role: "buildings", key: null }, { name: "plots", role: "parcels", key: null }]);
  });
  it("of points are never offered as streets", () => {
    open({ kind: "layers", layers: [layer("doors", "point", { role: "places" })] });
    expect([...screen.getByLabelText<HTMLSelectElement>("Use of doors").options].map(({ value }) => value)).toEqual(["places", "out"]);
  });
  it("of lines that know their class go on to the streets", () => {
    open({ kind: "layers", layers: [layer("lanes", "line", { role: "lines", roles: ROLES, known: { street_class: 1 }, length_km: 3 })] });
    press("Go on to the streets");
    expect(screen.getByTestId("line-form").textContent).toContain("3 lines");
  });
  it("tell why one cannot be used", () => {
    open({ kind: "layers", layers: [layer("both", "mixed", { unusable: "The layer mixes 1 point, 2 line features." })] });
    expect(text()).toContain("The layer mixes 1 point, 2 line features.");
    expect(screen.getByText<HTMLButtonElement>("Add 0 layers").disabled).toBe(true);
  });
  it("without a coordinate system are looked at again in the one that is given", async () => {
    open({ kind: "layers", layers: [layer("lost", "empty", { problem: "The file states no coordinate system", candidates: ["EPSG:32625"], crs: null })] });
    expect(text()).toContain("In EPSG:32625 it would fit");
    answer = () => ({ token: "a1", name: "file", kind: "layers", layers: [layer("lost", "point", { role: "places" })] });
    press("Look again");
    await waitFor(() => expect(screen.getByText("Add the layer")).toBeTruthy());
    answer = () => ({ jobID: "j1", status: "successful", progress: 100, message: "" });
    press("Add the layer");
    await waitFor(() => expect(posted("/layers")?.layers).toEqual([{ name: "lost", role: "places", key: null, crs: "EPSG:32625" }]));
  });
  it("cannot begin a study without streets", () => {
    open({ kind: "layers", layers: [layer("doors", "point", { role: "places" })] }, null);
    expect(text()).toContain("A study begins with streets");
    expect(screen.getByText<HTMLButtonElement>("Add the layer").disabled).toBe(true);
  });
});

describe("a ready graph", () => {
  it("is taken as it is", async () => {
    const onDone = open({ kind: "graph", graph: { nodes: 10, links: 14, length_km: 2, speed_unit: null } });
    expect(text()).toContain("10 nodes and 14 links");
    expect(text()).not.toContain("speeds");
    press("Build streets");
    await waitFor(() => expect(onDone).toHaveBeenCalled());
    const wanted = posted("/streets");
    expect(wanted).not.toHaveProperty("weight");
    expect(wanted).not.toHaveProperty("crs");
  });
  it("has speeds in another unit than its tables say", async () => {
    const onDone = open({ kind: "graph", graph: { nodes: 10, links: 14, length_km: 2, speed_unit: "km/h" } });
    choose("Unit of the speeds", "mph");
    press("Build streets");
    await waitFor(() => expect(onDone).toHaveBeenCalled());
    expect(posted("/streets")).toMatchObject({ speed_unit: "mph" });
  });
  it("may be a list of links, whose lengths have a unit", async () => {
    const onDone = open({ kind: "graph", graph: { nodes: 10, links: 14, length_km: 0, drawn: true, length_unit: "m", left_out: { "links without their node": 2 } } });
    expect(text()).toContain("14 links, without geography");
    expect(text()).toContain("Left out, links without their node: 2.");
    choose("Unit of the lengths", "km");
    press("Build streets");
    await waitFor(() => expect(onDone).toHaveBeenCalled());
    expect(posted("/streets")).toMatchObject({ length_unit: "km" });
  });
  it("may be a drawing with weights, or places in some system", async () => {
    const onDone = open({ kind: "graph", graph: { problem: "not degrees", weights: ["weight", "toll"] } });
    choose("Column with the lengths", "toll");
    choose("Unit of the lengths", "mi");
    press("Build streets");
    await waitFor(() => expect(onDone).toHaveBeenCalled());
    const wanted = posted("/streets");
    expect(wanted).toMatchObject({ weight: "toll", length_unit: "mi" });
    expect(wanted).not.toHaveProperty("crs");
    cleanup();
    open({ kind: "graph", graph: { problem: "not degrees", weights: ["weight"] } });
    choose("What the coordinates are", "system");
    expect(screen.getByText<HTMLButtonElement>("Build streets").disabled).toBe(true);
    choose("Coordinate system", "EPSG:32625");
    expect(screen.getByText<HTMLButtonElement>("Build streets").disabled).toBe(false);
  });
});
