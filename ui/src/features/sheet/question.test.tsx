import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Block, SheetDoc } from "../../api/studies";
import { screenNow, screenStore } from "../../state/screen";
import { answerOf, framed, OVERVIEW, processOf, question, sheetOf } from "../../testing/fixtures";
import { QuestionView } from "./QuestionView";
import { pointFeature } from "../../api/inputs";

const PROCESS = processOf("access");
const INPUTS = { mode: "walk", places: { layer: "cool_rooms" }, zones: { layer: "zones" }, limits: [5, 10, 15], fields: ["population"], direction: "to" };
const RESULT = {
  figures: [
    { value: 42.94, unit: "%", label: "of population, 10 min" },
    { value: 42007, unit: "people", label: "beyond 15 min" },
    { value: null, unit: "", label: "not known" },
    { value: 1, unit: "", label: "a fourth" },
  ],
  doubts: [
    { code: "places-far", grade: "note", count: 1, text: "1 place lies 61 m from a usable street." },
    { code: "border", grade: "warning", count: 3, text: "Touches the border of the extract in 3 places." },
  ],
  method: ["Walks at 4.8 km/h."],
};
const reset = screenNow();
let saved: { blocks: Block[] }[];
let asked: Record<string, unknown>[];

beforeEach(() => {
  screenStore.setState({ ...reset, study: "ferrow", question: "q1", runs: {}, editing: null, picking: null });
  Element.prototype.scrollIntoView = vi.fn();
  [saved, asked] = [[], []];
  vi.stubGlobal("fetch", (address: string, init?: RequestInit) => {
    const body = init?.body ? (JSON.parse(init.body as string) as Record<string, unknown>) : {};
    if (address.endsWith("/sheets/main")) saved.push(body as unknown as { blocks: Block[] });
    if (address.endsWith("/execution")) asked.push(body.inputs as Record<string, unknown>);
    const job = { jobID: "j1", status: "successful", progress: 100, message: "" };
    const answer = answerOf(question("q1", "access", INPUTS), RESULT);
    const reply = address.endsWith("/sheets/main") ? { ...sheetOf(), ...body } : address.includes("/answers/") ? answer : job;
    return Promise.resolve(new Response(JSON.stringify(reply), { status: 200 }));
  });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function show(inputs: Record<string, unknown> = INPUTS, fresh = true, answered: Record<string, unknown> = inputs) {
  const block = question("q1", "access", inputs);
  const sheet: SheetDoc = sheetOf(block);
  const wrapper = framed([
    [["sheet", "ferrow", "main"], sheet],
    [["answer", "ferrow", "q1"], answerOf({ ...block, inputs: answered }, RESULT, fresh)],
  ]);
  return render(<QuestionView number={1} block={block} process={PROCESS} overview={OVERVIEW} />, { wrapper });
}
const word = (slot: string) => document.querySelector<HTMLElement>(`[data-slot=${slot}]`) as HTMLElement;
const savedInputs = () => (saved[saved.length - 1]?.blocks[0] as { inputs: Record<string, unknown> } | undefined)?.inputs;

describe("a question", () => {
  it("reads as a sentence whose words can be reached by keyboard", () => {
    show();
    expect(document.querySelector(".sentence")?.textContent).toBe(
      "Who lives near 2 cool rooms, going there as a walker, people by street, within 5, 10, 15 minutes, counting population of 3 zones, in free flow?",
    );
    expect([...document.querySelectorAll(".slot")].every((slot) => slot.getAttribute("tabindex") === "0")).toBe(true);
  });
  it("leads with three figures in their units, absent ones as a dash", () => {
    show();
    expect([...document.querySelectorAll(".figure b")].map((b) => b.textContent)).toEqual(["42.9%", "42,007people", "–"]);
  });
  it("states doubts by grade, and its method on request", () => {
    show();
    const doubts = [...document.querySelectorAll(".doubt")];
    expect(doubts.map((d) => [d.className, d.querySelector("i")?.textContent])).toEqual([["doubt note", "·"], ["doubt warning", "?"]]);
    expect(doubts[1]?.textContent).toContain("warning: Touches the border");
    expect(document.querySelector("details")?.textContent).toContain("Walks at 4.8 km/h.");
  });
  it("says why an answer is stale", () => {
    show(INPUTS, true, { ...INPUTS, limits: [5] });
    expect(screen.getByText(/the question has changed since/)).toBeTruthy();
    cleanup();
    show(INPUTS, false);
    expect(screen.getByText(/streets, layers or the mode have changed since/)).toBeTruthy();
  });
  it("is asked again on request", async () => {
    show(INPUTS, false);
    fireEvent.click(screen.getByText("Ask again"));
    await waitFor(() => expect(asked).toEqual([INPUTS]));
  });
  it("keeps the former answer when a run fails or is stopped", () => {
    screenNow().setRun("q1", { error: "No place lies on a street" });
    show();
    expect(screen.getByRole("alert").textContent).toBe("No place lies on a street");
    expect(document.querySelectorAll(".figure")).toHaveLength(3);
  });
  it("shows progress and the time left while it runs", () => {
    screenNow().setRun("q1", { job: "j1", progress: 0.4, message: "Place 6 of 14", secondsLeft: 3.4 });
    show();
    expect(screen.getByText("Place 6 of 14")).toBeTruthy();
    expect(document.querySelector(".running")?.textContent).toContain("3 s left");
    expect(screen.getByRole("progressbar").getAttribute("aria-valuenow")).toBe("40");
  });
  it("is taken off the sheet", async () => {
    show();
    fireEvent.click(screen.getByText("Remove"));
    await waitFor(() => expect(saved[0]?.blocks).toEqual([]));
  });
});

describe("a word", () => {
  const open = (slot: string) => fireEvent.keyDown(word(slot), { key: "Enter" });
  it("opens its editor under the sentence and closes it again", () => {
    show();
    open("limits");
    expect(word("limits").getAttribute("aria-expanded")).toBe("true");
    expect(screen.getByRole("group", { name: "Limits" })).toBeTruthy();
    open("limits");
    expect(screen.queryByRole("group", { name: "Limits" })).toBeNull();
  });
  it("is chosen from its words, saved at once and asked again", async () => {
    show();
    open("direction");
    fireEvent.click(screen.getByLabelText("being served from there"));
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(savedInputs()).toMatchObject({ direction: "from" });
    expect(asked[0]).toMatchObject({ direction: "from", limits: [5, 10, 15] });
  });
  it.each([
    ["15, 5 10;5", [5, 10, 15]],
    ["7.5", [7.5]],
  ])("takes limits written as %s", async (text, limits) => {
    show();
    open("limits");
    fireEvent.change(screen.getByLabelText("Limits in minutes"), { target: { value: text } });
    fireEvent.click(screen.getByText("Take"));
    await waitFor(() => expect(savedInputs()).toMatchObject({ limits }));
  });
  it.each(["0, 5", "-3", "soon", "1441", ""])("refuses limits written as '%s' and saves nothing", (text) => {
    show();
    open("limits");
    fireEvent.change(screen.getByLabelText("Limits in minutes"), { target: { value: text } });
    fireEvent.click(screen.getByText("Take"));
    expect(document.querySelector(".editor .problem")).toBeTruthy();
    expect(saved).toEqual([]);
  });
  it("filters a layer by CQL2", async () => {
    show();
    open("places");
    fireEvent.change(screen.getByLabelText("Filter in CQL2"), { target: { value: " seats > 40 " } });
    fireEvent.keyDown(screen.getByLabelText("Filter in CQL2"), { key: "Enter" });
    await waitFor(() => expect(savedInputs()).toMatchObject({ places: { layer: "cool_rooms", where: "seats > 40" } }));
  });
  it("takes a point by its coordinates, latitude first", async () => {
    show({ ...INPUTS, places: { type: "FeatureCollection", features: [] } });
    expect(word("places").className).toContain("open-place");
    open("places");
    const field = screen.getByLabelText("Latitude, longitude");
    fireEvent.change(field, { target: { value: "95, 400" } });
    fireEvent.keyDown(field, { key: "Enter" });
    expect(saved).toEqual([]);
    fireEvent.change(field, { target: { value: "41.29, -36.2" } });
    fireEvent.keyDown(field, { key: "Enter" });
    await waitFor(() => expect(savedInputs()).toMatchObject({ places: { features: [{ geometry: { coordinates: [-36.2, 41.29] } }] } }));
  });
  it("may slow a street instead of closing it", async () => {
    const closures = { type: "FeatureCollection", features: [pointFeature(-36.2, 41.29, "Heron Footbridge")] };
    show({ ...INPUTS, closures });
    open("closures");
    fireEvent.change(screen.getByLabelText("What holds at Heron Footbridge"), { target: { value: "0.5" } });
    await waitFor(() => expect(saved).toHaveLength(1));
    expect(savedInputs()?.closures).toMatchObject({ features: [{ properties: { name: "Heron Footbridge", factor: 0.5 } }] });
    cleanup();
    show({ ...INPUTS, closures: { ...closures, features: closures.features.map((one) => ({ ...one, properties: { ...one.properties, factor: 0.5 } })) } });
    expect(document.querySelector(".sentence")?.textContent).toMatch(/with Heron Footbridge slowed\?$/);
  });
  it("lets the last closure go altogether", async () => {
    const closures = { type: "FeatureCollection", features: [pointFeature(-36.2, 41.29, "Heron Footbridge")] };
    show({ ...INPUTS, closures });
    expect(document.querySelector(".sentence")?.textContent).toMatch(/with Heron Footbridge closed\?$/);
    open("closures");
    fireEvent.click(screen.getByLabelText("Remove Heron Footbridge"));
    await waitFor(() => expect(saved).toHaveLength(1));
    expect(savedInputs()).not.toHaveProperty("closures");
  });
});
