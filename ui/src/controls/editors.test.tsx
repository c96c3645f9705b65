import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { framed, OVERVIEW, PROCESSES, processOf, sheetOf, question } from "../testing/fixtures";
import { screenNow } from "../state/screen";
import { AgainstEditor } from "./AgainstEditor";
import { ChainEditor } from "./ChainEditor";
import { DiffersEditor } from "./DiffersEditor";
import { HoursEditor } from "./HoursEditor";
import { LimitEditor, LimitsEditor } from "./LimitEditors";
import { MeasuresEditor } from "./MeasuresEditor";
import { PlaceEditor } from "./PlaceEditor";
import type { Slot } from "../api/inputs";
import type { Overview } from "../api/studies";

const overview = { ...OVERVIEW, modes: [{ id: "walk", traveller: "walker" }, { id: "drive", traveller: "driver" }] } as unknown as Overview;
const put = vi.fn();
const take = () => fireEvent.click(screen.getByText("Take"));

const slotOf = (process: string, name: string) => processOf(process)["x-awl"].slots[name] as Slot;
const wordsOf = (process: string, name: string) => slotOf(process, name).words ?? {};

beforeEach(() => put.mockReset());
afterEach(cleanup);

describe("limits", () => {
  const write = (text: string) => fireEvent.change(screen.getByLabelText(/^Limits in/), { target: { value: text } });
  it("are put in order, each once", () => {
    render(<LimitsEditor value={[5]} put={put} metres={false} putMeasure={null} />);
    write("15, 5; 10 5");
    take();
    expect(put).toHaveBeenCalledWith([5, 10, 15]);
  });
  it("that cannot be are refused with the reason", () => {
    render(<LimitsEditor value={[5]} put={put} metres={false} putMeasure={null} />);
    write("0, 5");
    take();
    expect(screen.getByText(/above 0 and at most 1440/)).toBeTruthy();
    write("");
    take();
    expect(screen.getByText(/Give 1 to 12 limits in minutes/)).toBeTruthy();
    expect(put).not.toHaveBeenCalled();
  });
  it("count metres where the question can, and then may be larger", () => {
    const measure = vi.fn();
    render(<LimitsEditor value={[400]} put={put} metres putMeasure={measure} />);
    write("400, 5000");
    take();
    expect(put).toHaveBeenCalledWith([400, 5000]);
    fireEvent.change(screen.getByLabelText("What limits count"), { target: { value: "time" } });
    expect(measure).toHaveBeenCalledWith("time");
  });
  it("one alone may be left out", () => {
    render(<LimitEditor value={20} put={put} metres={false} />);
    fireEvent.click(screen.getByText("Without limit"));
    expect(put).toHaveBeenCalledWith(null);
    fireEvent.change(screen.getByLabelText("Limit in minutes"), { target: { value: "2000" } });
    expect(screen.getByText<HTMLButtonElement>("Take").disabled).toBe(true);
  });
});

describe("a radius", () => {
  it("is needed, and may count minutes", () => {
    const measure = vi.fn();
    render(<LimitEditor value={600} put={put} metres putMeasure={measure} needed />);
    expect(screen.queryByText("Without limit")).toBeNull();
    fireEvent.change(screen.getByLabelText("Limit in metres"), { target: { value: "800" } });
    take();
    expect(put).toHaveBeenCalledWith(800);
    fireEvent.change(screen.getByLabelText("What limits count"), { target: { value: "time" } });
    expect(measure).toHaveBeenCalledWith("time");
  });
});

describe("places that differ", () => {
  const rule = (text: string) => fireEvent.change(screen.getByLabelText("Which places, rule 1"), { target: { value: text } });
  it("need a condition, and hold a mode and minutes", () => {
    render(<DiffersEditor overview={overview} value={[]} put={put} layer={{ layer: "cool_rooms" }} />);
    expect(screen.getByText<HTMLButtonElement>("Take").disabled).toBe(true);
    rule("seats > 60");
    fireEvent.change(screen.getByLabelText("Minutes added, rule 1"), { target: { value: "3x" } });
    take();
    expect(put).toHaveBeenCalledWith([{ where: "seats > 60", mode: "drive", add_minutes: 3 }]);
    expect(screen.getByText(/Fields: seats/)).toBeTruthy();
  });
  it("may keep the mode of all", () => {
    render(<DiffersEditor overview={overview} value={[{ where: "seats > 1", mode: "drive", limits: [3] }]} put={put} layer={null} />);
    fireEvent.change(screen.getByLabelText("Mode, rule 1"), { target: { value: "" } });
    take();
    expect(put).toHaveBeenCalledWith([{ where: "seats > 1", limits: [3] }]);
  });
  it("are alike again once the last rule is removed", () => {
    render(<DiffersEditor overview={overview} value={[{ where: "a" }, { where: "b" }]} put={put} layer={null} />);
    fireEvent.click(screen.getAllByText("remove")[0] as HTMLElement);
    fireEvent.click(screen.getAllByText("remove")[0] as HTMLElement);
    expect(put).toHaveBeenCalledWith(undefined);
  });
});

describe("layers in a chain", () => {
  const chain = [{ layer: "zones" }, { layer: "cool_rooms", where: "seats > 9" }];
  it("are added, moved, changed and removed", () => {
    render(<ChainEditor overview={overview} value={chain} put={put} />);
    fireEvent.click(screen.getByLabelText("Move layer 2 up"));
    expect(put).toHaveBeenLastCalledWith([chain[1], chain[0]]);
    fireEvent.click(screen.getByLabelText("Remove layer 1"));
    expect(put).toHaveBeenLastCalledWith([chain[1]]);
    fireEvent.change(screen.getByLabelText("Layer 1"), { target: { value: "cool_rooms" } });
    expect(put).toHaveBeenLastCalledWith([{ layer: "cool_rooms" }, chain[1]]);
    fireEvent.click(screen.getByText(/Add a layer/));
    expect(put).toHaveBeenLastCalledWith([...chain, { layer: "water" }]);
  });
  it("end with a filter taken off", () => {
    render(<ChainEditor overview={overview} value={chain} put={put} />);
    fireEvent.change(screen.getAllByLabelText("Filter in CQL2")[1] as HTMLElement, { target: { value: "" } });
    fireEvent.click(screen.getAllByText("Take")[1] as HTMLElement);
    expect(put).toHaveBeenLastCalledWith([{ layer: "zones" }, { layer: "cool_rooms" }]);
  });
});

describe("further measures", () => {
  const inputs = { mode: "walk", places: { layer: "cool_rooms" }, measures: ["kth"] };
  it("keep their order, whichever is ticked first", () => {
    render(<MeasuresEditor words={wordsOf("access", "measures")} overview={overview} inputs={inputs} put={put} />);
    fireEvent.click(screen.getByLabelText("potential"));
    expect(put).toHaveBeenLastCalledWith({ ...inputs, measures: ["gravity", "kth"] });
    fireEvent.click(screen.getByLabelText("time to the k-th nearest"));
    expect(put).toHaveBeenLastCalledWith({ ...inputs, measures: [] });
  });
  it("weigh places by a field with numbers, and none stands for each as one", () => {
    render(<MeasuresEditor words={wordsOf("access", "measures")} overview={overview} inputs={{ ...inputs, weights: "seats" }} put={put} />);
    const offers = screen.getByLabelText("What a place offers");
    expect([...offers.querySelectorAll("option")].map(({ textContent }) => textContent)).toEqual(["itself alone", "its seats"]);
    fireEvent.change(offers, { target: { value: "" } });
    expect(put).toHaveBeenLastCalledWith({ ...inputs, weights: null });
  });
  it("refuse a half-time that is none, and count the nearest from one", () => {
    render(<MeasuresEditor words={wordsOf("access", "measures")} overview={overview} inputs={inputs} put={put} />);
    const half = screen.getByLabelText("Minutes at which a place counts one half");
    fireEvent.change(half, { target: { value: "-4" } });
    fireEvent.blur(half);
    expect(put).toHaveBeenLastCalledWith({ ...inputs, half: 10 });
    const nearest = screen.getByLabelText("Which nearest place, less one");
    fireEvent.change(nearest, { target: { value: "0" } });
    fireEvent.blur(nearest);
    expect(put).toHaveBeenLastCalledWith({ ...inputs, k: 1 });
  });
});

describe("places", () => {
  const above = question("q1", "isochrone", {});
  const block = question("q2", "matrix", { from: { layer: "zones", where: "population > 5" } });
  const edit = (value: unknown) =>
    render(<PlaceEditor slot={slotOf("matrix", "from")} block={block} name="from" overview={overview} value={value} put={put} />, {
      wrapper: framed([[["processes", "ferrow"], PROCESSES], [["sheet", "ferrow", "main"], sheetOf(above, question("q0", "route", {}), block)]]),
    });
  it("may lie inside an answer above that covers ground, and keep their filter", () => {
    edit(block.inputs.from);
    const inside = screen.getByLabelText("Inside which answer");
    expect([...inside.querySelectorAll("option")].map(({ textContent }) => textContent)).toEqual(["anywhere", "inside answer 1"]);
    fireEvent.change(inside, { target: { value: "q1" } });
    expect(put).toHaveBeenCalledWith({ layer: "zones", where: "population > 5", inside: "q1" });
  });
  it("lose that again, the filter stays", () => {
    edit({ layer: "zones", where: "population > 5", inside: "q1" });
    fireEvent.change(screen.getByLabelText("Inside which answer"), { target: { value: "" } });
    expect(put).toHaveBeenCalledWith({ layer: "zones", where: "population > 5" });
  });
  it("set on the map are renamed and removed", () => {
    const points = (...names: string[]) => ({ type: "FeatureCollection", features: names.map((name) => ({ type: "Feature", properties: { name }, geometry: { type: "Point", coordinates: [-36.2, 41.3] } })) });
    edit(points("Star Bridge", "Mill"));
    const name = screen.getByLabelText("Name of point 1");
    fireEvent.change(name, { target: { value: "Start" } });
    fireEvent.blur(name);
    expect(put).toHaveBeenLastCalledWith(points("Start", "Mill"));
    fireEvent.click(screen.getByLabelText("Remove Mill"));
    expect(put).toHaveBeenLastCalledWith(points("Star Bridge"));
  });
});

describe("a second run", () => {
  const against = (value: object | null) => render(<AgainstEditor name="against" slots={processOf("access")["x-awl"].slots} block={question("q", "access", { mode: "walk" })} overview={overview} value={value} put={put} />, { wrapper: framed() });
  it("takes another mode, and the same again", () => {
    against({ mode: "drive" });
    fireEvent.change(screen.getByLabelText("Mode of the other run"), { target: { value: "" } });
    expect(put).toHaveBeenCalledWith({});
    fireEvent.change(screen.getByLabelText("Hour of the other run"), { target: { value: "free" } });
    expect(put).toHaveBeenLastCalledWith({ mode: "drive", at: null });
  });
  it("opens a closed street again, and waits for a click on the map to close one", () => {
    against({ closures: { type: "FeatureCollection", features: [{ type: "Feature", properties: { name: "Quay Bridge" }, geometry: { type: "Point", coordinates: [0, 0] } }] } });
    fireEvent.click(screen.getByLabelText("Open Quay Bridge again"));
    expect(put).toHaveBeenCalledWith({});
    fireEvent.click(screen.getByText("Close a street in it"));
    expect(screenNow().picking).toEqual({ question: "q", slot: "closures", path: ["against", "closures"] });
    fireEvent.click(screen.getByText("Remove comparison"));
    expect(put).toHaveBeenLastCalledWith(undefined);
  });
});

describe("the hours of a matrix", () => {
  it("are taken when they can be read, and left out again", () => {
    render(<HoursEditor value={[]} day="2026-06-03T08:00" put={put} />);
    const field = screen.getByLabelText("Hours of the day");
    fireEvent.change(field, { target: { value: "7, 30" } });
    fireEvent.keyDown(field, { key: "Enter" });
    expect(put).not.toHaveBeenCalled();
    expect(screen.getByText(/Give 1 to 16 hours/)).toBeTruthy();
    fireEvent.change(field, { target: { value: "7-9" } });
    fireEvent.click(screen.getByText("Take"));
    expect(put).toHaveBeenLastCalledWith([7, 8, 9]);
    fireEvent.click(screen.getByText("No other hour"));
    expect(put).toHaveBeenLastCalledWith(undefined);
  });
});
