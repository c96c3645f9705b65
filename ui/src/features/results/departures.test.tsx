import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeAll, describe, expect, it, vi } from "vitest";
import type { Results } from "../../api/client";
import AnswerChart from "./AnswerChart";
import { keptBy } from "./Departures";
import { screenNow } from "../../state/screen";
import { placeAlong, placeAt } from "../map/playing";
import { marksOf } from "./Itineraries";
import { clockOf, type Leg } from "./legs";

beforeAll(() => {
  globalThis.ResizeObserver ??= class { observe() {} unobserve() {} disconnect() {} } as unknown as typeof ResizeObserver;
});
afterEach(cleanup);

const shown = (charts: object[], more: object = {}) => ({ view: { charts }, ...more }) as unknown as Results;

describe("departures of a window", () => {
  it("knows what a share of them keeps, whether more or less of it is wanted", () => {
    const times = [12, 8, null, 20];
    expect([0, 50, 75, 100].map((share) => keptBy(times, share, false))).toEqual([8, 12, 20, null]);
    expect([0, 50, 75].map((share) => keptBy([3, 9, 5, 7], share, true))).toEqual([9, 7, 5]);
    expect(keptBy([], 50, false)).toBeNull();
  });
  it("tells the median and sets another share", () => {
    const onSet = vi.fn();
    const chart = { kind: "departures", title: "Stops within 30 min by departure", x: { label: "departure", values: ["08:00", "08:01", "08:02"] }, series: [{ label: "stops", values: [4, 10, 6] }], handle: "percentile", share: 50, more_is_better: true };
    render(<AnswerChart result={shown([chart])} onSet={onSet} />);
    expect(document.body.textContent).toContain("median 6 stops");
    expect(document.body.textContent).toContain("50% of departures keep 6 stops");
    const handle = screen.getByLabelText("Share of departures that keep the time");
    fireEvent.change(handle, { target: { value: 90 } });
    expect(document.body.textContent).toContain("90% of departures keep 4 stops");
    expect(onSet).toHaveBeenCalledWith("percentile", 90);
  });
});

describe("itineraries side by side", () => {
  it("marks an axis of time with few round minutes", () => {
    expect(marksOf(483, 503)).toEqual([485, 490, 495, 500]);
    expect(marksOf(480, 600)).toEqual([480, 510, 540, 570, 600]);
    expect(marksOf(480, 605)).toEqual([480, 540, 600]);
  });
  it("shows walks, waits and rides on one axis", () => {
    const leg = (itinerary: number, kind: string, begins_min: number, duration_min: number, more = {}) => ({
      type: "Feature", geometry: null,
      properties: { itinerary, kind, begins_min, duration_min, text: kind, from: "A", to: "B", departs: `08:${String(begins_min - 480).padStart(2, "0")}:00`, arrives: `08:${String(begins_min - 480 + duration_min).padStart(2, "0")}:00`, ...more },
    });
    const legs = { type: "FeatureCollection", features: [leg(1, "walk", 480, 4), leg(1, "ride", 486, 10, { line_name: "tram 1" }), leg(2, "walk", 490, 20)] };
    render(<AnswerChart result={shown([{ kind: "itineraries", title: "Departures side by side", part: "legs" }], { legs })} />);
    expect(screen.getAllByRole("listitem").map((row) => row.textContent)).toEqual(["08:00–08:16tram 1", "08:10–08:30"]);
    const ride = screen.getByLabelText("08:06 A: ride, 08:16 B");
    expect(ride.style.left).toBe("20%");
    expect(parseFloat(ride.style.width)).toBeCloseTo(33.33, 1);
    const first = screen.getByRole("button", { name: "08:00–08:16" });
    fireEvent.click(first);
    expect(screenNow().playing).toBe(1);
    fireEvent.click(first);
    expect(screenNow().playing).toBeNull();
  });
  it("knows where one is at a minute: on a leg, or waiting where the one before ended", () => {
    const leg = (begins_min: number, duration_min: number) => ({ itinerary: 1, kind: "ride", text: "", from: "", to: "", begins_min, duration_min, departs: "09:00:00", arrives: "" }) satisfies Leg;
    const lines = [{ leg: leg(480, 4), line: [[0, 0], [4, 0]] }, { leg: leg(490, 10), line: [[4, 0], [4, 0], [8, 0], [8, 1]] }];
    expect(placeAt(lines, 481)).toMatchObject({ at: [1, 0], waits: false });
    expect(placeAt(lines, 487)).toMatchObject({ at: [4, 0], waits: true });
    expect(placeAt(lines, 494)?.at).toEqual([6, 0]);
    expect(placeAt(lines, 500)?.at).toEqual([8, 1]);
    expect(placeAt([], 1)).toBeNull();
    expect(placeAlong([[2, 3]], 0.5)).toEqual([2, 3]);
    // Clocks were put on by an hour that day.
    expect(clockOf(494.5, leg(480, 4))).toBe("09:14");
  });
});
