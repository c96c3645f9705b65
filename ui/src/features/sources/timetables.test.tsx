import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type { FeedSummary, Overview, TimetableInfo } from "../../api/studies";
import { screenNow, screenStore } from "../../state/screen";
import { framed, OVERVIEW } from "../../testing/fixtures";
import { placesOfFaults } from "./FeedFaults";
import { grid, headwayWords } from "./Headways";
import { Timetables } from "./Timetables";

const hours = (counts: Record<number, number>) => Array.from({ length: 30 }, (_, hour) => counts[hour] ?? 0);
const summary: FeedSummary = {
  rows: {}, unread_files: [], stops: 4, stations: 0, routes: 3, trips: 40, calls: 160,
  kinds: [{ kind: "tram", routes: 3, trips: 40 }], first_day: "2026-06-01", last_day: "2026-06-07", trips_by_day: [6, 6, 6, 6, 6, 2, 1],
  first_departure_s: 21600, last_arrival_s: 90000, timezone: "UTC",
  faults: [{ code: "odd", title: "Odd speed", grade: "warning", effect: "Too quick.", count: 2 }, { code: "bare", title: "Nothing calls", grade: "note", effect: "Not used.", count: 1 }],
  listed: [
    { code: "odd", text: "Trip a", file: "stop_times.txt", line: 3, lon: 1, lat: 2 },
    { code: "odd", text: "Trip b", file: "stop_times.txt", line: 9, lon: null, lat: null },
    { code: "bare", text: "Stop z", file: "stops.txt", line: 4, lon: 3, lat: 4 },
  ],
  lines: [{ route_id: "r1", name: "1", kind: "tram" }, { route_id: "f", name: "Ferry", kind: "ferry" }, { route_id: "n", name: "N", kind: "bus" }],
  departures: { weekday: [hours({ 7: 4, 8: 8 }), hours({ 8: 10, 9: 10 }), hours({})], sunday: [hours({ 10: 1 }), hours({}), hours({ 25: 2 })] },
  typical_days: { weekday: "2026-06-01", sunday: "2026-06-07" },
};
const timetable: TimetableInfo = { id: "t", title: "Town", source: "t.zip", added: "now", summary };
const far = { type: "Feature", properties: { stop_id: "z", name: "Far Point", street_m: 140.2 }, geometry: { type: "Point", coordinates: [3, 4] } };
const modes = [{ id: "transit", title: "Public transport", changed: "", document: { transit: {} } }] as unknown as Overview["modes"];
const overview: Overview = { ...OVERVIEW, modes, timetables: [timetable] };
const route = (route_id: string) => ({ type: "Feature", properties: { route_id }, geometry: { type: "LineString", coordinates: [[0, 0], [1, 1]] } });
const collection = (features: object[]) => ({ type: "FeatureCollection", features });

describe("headways", () => {
  it("puts the busiest line first, over the hours in which any runs", () => {
    const { rows, hours: shown } = grid(summary, "weekday");
    expect(rows.map(({ label }) => label)).toEqual(["Ferry", "tram 1"]);
    expect(shown).toEqual([7, 8, 9]);
    expect(grid(summary, "sunday").hours).toEqual(Array.from({ length: 16 }, (_, i) => 10 + i));
    expect(grid({ ...summary, lines: [], departures: {} }, "weekday").rows).toEqual([]);
  });
  it("says how often", () => {
    expect([0, 4, 8].map(headwayWords)).toEqual(["not at all", "every 15 min", "every 7.5 min"]);
  });
});

describe("a timetable of a study", () => {
  beforeEach(() => {
    screenStore.setState({ study: "ferrow", stage: "sources", finding: null, findings: null, frequencies: null });
    render(<Timetables overview={overview} />, {
      wrapper: framed([
        [["joined-stops", OVERVIEW.id, OVERVIEW.revision, "transit", "", "now"], { mode: "Public transport", within_m: 100, stops: 4, joined: 3, median_m: 8, most_m: 40, too_far: collection([far]) }],
        [["layer-features", OVERVIEW.id, "t_routes", "now"], collection([route("r1"), route("f")])],
        [["layer-features", OVERVIEW.id, "t_stops", "now"], collection([far])],
      ]),
    });
    fireEvent.click(screen.getByRole("button", { name: "Town" }));
  });
  afterEach(cleanup);

  it("draws a chosen hour on the map and lets go of it", async () => {
    const hour = screen.getByRole("button", { name: "8:00 to 9:00" });
    fireEvent.click(hour);
    await waitFor(() => expect(screenNow().frequencies?.lines.map(({ properties }) => Number(properties?.departures))).toEqual([8, 10]));
    expect(screenNow().frequencies).toMatchObject({ words: "8:00 to 9:00", stops: [far] });
    expect(document.body.textContent).toContain("Ferry every 6 min, tram 1 every 7.5 min");
    fireEvent.keyDown(hour, { key: "Enter" });
    await waitFor(() => expect(screenNow().frequencies).toBeNull());
  });
  it("tells which stops no street reaches and shows them", async () => {
    await screen.findByText(/3 of 4 stops are joined/);
    expect(document.body.textContent).toContain("In the median they lie 8 m off, 40 m at most.");
    fireEvent.click(screen.getByRole("button", { name: "Far Point" }));
    expect(screenNow().finding).toEqual(far);
  });
  it("goes through the faults that have a place", () => {
    expect(placesOfFaults(summary, null).map(({ properties }) => String(properties?.text))).toEqual(["Trip a", "Stop z"]);
    expect(screenNow().findings).toHaveLength(2);
    fireEvent.keyDown(window, { key: "j" });
    fireEvent.keyDown(window, { key: "j" });
    expect(screenNow().finding?.properties).toMatchObject({ kind: "bare", grade: "note", text: "Stop z" });
    fireEvent.click(screen.getByRole("button", { name: "Odd speed" }));
    expect(screenNow().findings).toHaveLength(1);
    expect(document.body.textContent).toContain("stop_times.txt, line 9: Trip b");
    cleanup();
    expect(screenNow().findings).toBeNull();
  });
});
