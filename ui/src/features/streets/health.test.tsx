import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { screenNow, screenStore } from "../../state/screen";
import { framed, OVERVIEW } from "../../testing/fixtures";
import { Health } from "./Health";

const feature = (kind: string, text: string, at: [number, number]) => ({ type: "Feature", properties: { kind, grade: "error", text }, geometry: { type: "Point", coordinates: at } });
const CHECKED = {
  kinds: [
    { kind: "near-miss", grade: "error", title: "Ends that just miss a street", why: "No one can pass.", count: 2 },
    { kind: "missing-speed", grade: "note", title: "Main roads without a limit", why: "The class decides.", count: 1 },
  ],
  findings: { type: "FeatureCollection", features: [feature("near-miss", "A ends short of B.", [1, 2]), feature("near-miss", "C ends short of D.", [3, 4]), feature("missing-speed", "E has no limit.", [5, 6])] },
};
const reset = screenNow();
const reply = (status: number, body: unknown) => Promise.resolve(new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } }));

function answers(post: () => Promise<Response>, get = () => reply(200, CHECKED)) {
  vi.stubGlobal("fetch", (address: string, init?: RequestInit) =>
    address.startsWith("/jobs/") ? reply(200, { jobID: "j1", status: "successful", progress: 100, message: "", result: {} }) : init?.method === "POST" ? post() : get(),
  );
}
const started = () => reply(201, { jobID: "j1", status: "running", progress: 0, message: "Looking" });

beforeEach(() => screenStore.setState({ ...reset, study: "ferrow" }));
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

async function checked() {
  answers(started);
  render(<Health overview={OVERVIEW} />, { wrapper: framed() });
  fireEvent.click(screen.getByText("Check the streets"));
  await screen.findByText("2 errors, 0 warnings, 1 note");
}
const text = () => screen.getByTestId("finding").textContent ?? "";

describe("the health check", () => {
  it("is read one finding after another, and the map goes along", async () => {
    await checked();
    fireEvent.keyDown(window, { key: "j" });
    expect(text()).toContain("A ends short of B.");
    expect(screenNow().goTo).toEqual([1, 2]);
    fireEvent.keyDown(window, { key: "j" });
    expect(text()).toContain("2 of 3");
    fireEvent.keyDown(window, { key: "k" });
    expect(text()).toContain("1 of 3");
    fireEvent.keyDown(window, { key: "k" });
    expect(text()).toContain("1 of 3");
  });
  it("shows one kind alone, and says why it matters", async () => {
    await checked();
    const [row] = screen.getAllByText("Main roads without a limit");
    if (row) fireEvent.click(row);
    fireEvent.click(screen.getByText("Next"));
    expect(text()).toContain("E has no limit.");
    expect(text()).toContain("The class decides.");
    expect(text()).toContain("1 of 1");
  });
  it("takes its mark off the map when it is left", async () => {
    await checked();
    fireEvent.keyDown(window, { key: "j" });
    expect(screenNow().finding).not.toBeNull();
    cleanup();
    expect(screenNow().finding).toBeNull();
  });
  it("says so where the findings would have been if they cannot be fetched", async () => {
    answers(started, () => reply(500, { title: "No", detail: "The study is damaged." }));
    render(<Health overview={OVERVIEW} />, { wrapper: framed() });
    fireEvent.click(screen.getByText("Check the streets"));
    expect((await screen.findByRole("alert")).textContent).toContain("damaged");
  });
  it("says where it stands why it could not be done", async () => {
    answers(() => reply(400, { title: "No", detail: "The mode 'drive' can use no connected street." }));
    render(<Health overview={OVERVIEW} />, { wrapper: framed() });
    fireEvent.click(screen.getByText("Check the streets"));
    expect((await screen.findByRole("alert")).textContent).toContain("no connected street");
  });
});
