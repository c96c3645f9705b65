import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Block } from "../../api/studies";
import type { Overlays } from "../../map/style";
import { framed, OVERVIEW, question, sheetOf, square } from "../../testing/fixtures";
import type { QuestionBlock } from "../../state/sheet";
import { nothingShown } from "../../map/content";
import { DrawnOrder } from "./DrawnOrder";

const some = (...names: string[]) => Object.fromEntries(names.map((name) => [name, { type: "FeatureCollection", features: [square(0, {})] }])) as Overlays;
const words = () => screen.getAllByRole("button", { name: /from the top/ }).map(({ textContent }) => textContent);
let saved: Block[][];

beforeEach(() => {
  saved = [];
  vi.stubGlobal("fetch", (_: string, init: RequestInit) => {
    const body = JSON.parse(init.body as string) as { blocks: Block[] };
    saved.push(body.blocks);
    return Promise.resolve(new Response(JSON.stringify({ ...sheetOf(), ...body })));
  });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function shown(order?: string[]) {
  const block: QuestionBlock = { ...question("q1", "isochrone", {}), ...(order ? { order } : {}) };
  render(<DrawnOrder block={block} overview={OVERVIEW} content={{ ...nothingShown(), overlays: some("areas", "contours", "places") }} />, { wrapper: framed([[["sheet", "ferrow", "main"], sheetOf(block)]]) });
}
const newest = () => (saved.at(-1)?.[0] as QuestionBlock | undefined)?.order;
const among = (...names: string[]) => newest()?.filter((name) => names.includes(name));

describe("the order of what is drawn", () => {
  it("lists what is on the map, topmost first", () => {
    shown();
    expect(words()).toEqual(["places", "contours", "streets", "water", "areas"]);
    expect(screen.queryByText("As it was")).toBeNull();
  });
  it("is changed with the keys, past what is shown", async () => {
    shown();
    fireEvent.keyDown(screen.getByRole("button", { name: /^areas/ }), { key: "ArrowUp" });
    await waitFor(() => expect(saved).toHaveLength(1));
    expect(among("water", "areas", "streets")).toEqual(["streets", "areas", "water"]);
    fireEvent.keyDown(screen.getByRole("button", { name: /^areas/ }), { key: "x" });
    expect(saved).toHaveLength(1);
  });
  it("is changed by dragging one word to another", async () => {
    shown();
    const [areas, places] = [screen.getByRole("button", { name: /^areas/ }), screen.getByRole("button", { name: /^places/ })];
    fireEvent.dragStart(areas);
    fireEvent.dragOver(places);
    fireEvent.drop(places);
    await waitFor(() => expect(newest()?.[0]).toBe("areas"));
  });
  it("goes back to how it was", async () => {
    shown(["areas", "places"]);
    expect(words()[0]).toBe("areas");
    fireEvent.click(screen.getByText("As it was"));
    await waitFor(() => expect(saved).toHaveLength(1));
    expect(newest()).toBeUndefined();
  });
});
