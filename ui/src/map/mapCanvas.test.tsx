import { act, cleanup, render } from "@testing-library/react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { nothingShown } from "./content";
import { MapCanvas, type Ground, type Standing } from "./MapCanvas";

/** What each map was told, in the order in which the maps were made. */
const made: { study: string; told: [string, unknown][]; destroyed: boolean }[] = [];

vi.mock("./scene", () => ({
  Scene: class {
    readonly map = { on: () => undefined };
    readonly metresPerPixel: number;
    private readonly log: (typeof made)[number];
    constructor(_: HTMLElement, __: string, study: string) {
      this.metresPerPixel = made.length + 1;
      this.log = { study, told: [], destroyed: false };
      made.push(this.log);
    }
    restyle = () => Promise.resolve();
    setBands = () => undefined;
    showDots = () => undefined;
    setOrder = () => undefined;
    letter = () => undefined;
    show = (overlays: unknown) => this.log.told.push(["show", overlays]);
    hideBase = (hidden: unknown) => this.log.told.push(["hide", hidden]);
    setOpacity = (share: unknown) => this.log.told.push(["opacity", share]);
    destroy() {
      this.log.destroyed = true;
    }
  },
}));

const ground = (study: string): Ground => ({ study, revision: "1", bounds: [0, 0, 1, 1], drawn: false, layers: [] });
const content = (name: string) => ({ ...nothingShown(), overlays: { areas: { type: "FeatureCollection" as const, features: [], name } } });
const told = (map: number, what: string) => made[map]?.told.filter(([name]) => name === what).map(([, value]) => value);

beforeEach(() => made.splice(0));
afterEach(cleanup);

it("two maps stand side by side, each with its own content", async () => {
  const scales: number[][] = [[], []];
  const standing: (Standing | null)[] = [null, null];
  const [left, right, hidden] = [content("before"), content("after"), {}];
  const keep = [(now: Standing | null) => (standing[0] = now), (now: Standing | null) => (standing[1] = now)] as const;
  const both = (opacity: number) => (
    <>
      <MapCanvas ground={ground("ferrow")} theme="light" streets={null} content={left} opacity={1} hidden={hidden} label={null} onScale={(scale) => scales[0]?.push(scale)} onStanding={keep[0]} />
      <MapCanvas ground={ground("ferrow")} theme="light" streets={null} content={right} opacity={opacity} hidden={hidden} label={null} onScale={(scale) => scales[1]?.push(scale)} onStanding={keep[1]} />
    </>
  );
  const page = render(both(1));
  await act(() => Promise.resolve());
  expect(page.getAllByTestId("map")).toHaveLength(2);
  expect([told(0, "show"), told(1, "show")]).toEqual([[left.overlays], [right.overlays]]);
  expect(scales).toEqual([[1], [2]]);
  expect(standing[0]?.scene).not.toBe(standing[1]?.scene);

  page.rerender(both(0.4));
  expect([told(0, "opacity")?.at(-1), told(1, "opacity")?.at(-1)]).toEqual([1, 0.4]);
  page.rerender(<></>);
  expect(made.every(({ destroyed }) => destroyed)).toBe(true);
  expect(standing).toEqual([null, null]);
});
