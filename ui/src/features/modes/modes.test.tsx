import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { ModeDocument } from "../../api/modes";
import type { ModeInfo } from "../../api/studies";
import { ModeRides } from "./ModeRides";
import { changeWords, Modes } from "./Modes";
import { screenNow, screenStore } from "../../state/screen";
import { framed, OVERVIEW } from "../../testing/fixtures";

const DOCUMENT: ModeDocument = {
  format: "awl-mode-1", id: "drive", title: "Drive", traveller: "driver", speeds: { residential: 30, primary: 50 }, top_speed: 130, access: ["motorcar"], obeys_oneway: true,
  contraflow: "oneway:motorcar", reads_maxspeed: true, turns: ["motorcar"], barriers: ["bollard", "log"],
  delays: { signals_s: 15, crossing_s: 0, barrier_s: 10, ferry_s: 0, left_s: 4, right_s: 2, back_s: 20, give_way_s: 4, start_s: 0, end_s: 0 },
  slope: { by: "none", limit: 0, power_w: 100, mass_kg: 90 }, vehicle: { height_m: 0, width_m: 0, weight_t: 0 },
  curves: [{ days: "weekday", classes: ["primary"], share: Array<number>(24).fill(1) }], costs: [{ id: "noise", unit: "dB", along: "length * 2", against: "", missing: null }], measured: "", notes: ["Free flow."],
  rules: [{ where: "lanes < 2", use: "forbid", factor: 1 }, { where: "lit = 'no'", use: "slow", factor: 0.5 }],
};
const ODD = { link_id: 7, name: "Kiln Row", highway: "residential", speed_kmh: 110, usual_kmh: 30, links: 1, km: 0.4, at: [-36.2, 41.3] };
const INFO = {
  odd: [ODD], ends_only_km: 2, mean_kmh: 31.5,
  id: "drive", title: "Drive", traveller: "driver", notes: DOCUMENT.notes, changed: "", shipped: true, document: DOCUMENT, rule_km: [7.4, 1], barriers_shut: 3, usable_km: 20, total_km: 30,
  links_usable: 200, speed_sources: [{ source: "posted limit", km: 15 }], parts: { count: 1, kept: 1, kept_km: 20, sizes: [], left_out_km: 0, left_out_links: 0 },
  rules: [{ highway: "residential", speed_kmh: 30, length_km: 25, usable_km: 20, oneway_km: 2 }, { highway: "footway", speed_kmh: null, length_km: 5, usable_km: 0, oneway_km: 0 }],
} as unknown as ModeInfo;

const reset = screenNow();
let sent: { address: string; method: string; body: ModeDocument }[];
let answer: { status: number; body: object };

beforeEach(() => {
  screenStore.setState({ ...reset, study: "ferrow", mode: "drive" });
  sent = [];
  answer = { status: 200, body: { id: "drive", change: { lost: { links: 12, km: 1.5 }, won: { links: 0, km: 0 }, speed: { links: 0, km: 0 } } } };
  vi.stubGlobal("fetch", (address: string, init?: RequestInit) => {
    sent.push({ address, method: init?.method ?? "GET", body: JSON.parse((init?.body as string | undefined) ?? "{}") as ModeDocument });
    return Promise.resolve(new Response(JSON.stringify(answer.body), { status: answer.status }));
  });
  render(<Modes overview={{ ...OVERVIEW, modes: [INFO], modeUndo: 1 }} />, { wrapper: framed() });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const put = () => sent.find(({ method }) => method === "PUT")?.body;
function write(label: string, text: string) {
  const field = screen.getByLabelText(label);
  fireEvent.change(field, { target: { value: text } });
  fireEvent.blur(field);
}

describe("a mode by public transport", () => {
  it("says how one comes to the first stop and where the vehicle is left", () => {
    cleanup();
    const change = vi.fn();
    const transit = { slack_s: 60, routes: "", stops: "", on_wheels: false, with_bicycle: false, stop_m: 100, first_by: "", first_min: 20, park_at: "" };
    const passenger = { ...DOCUMENT, id: "transit", title: "Public transport", transit };
    const { rerender } = render(<ModeRides overview={{ ...OVERVIEW, modes: [INFO] }} mode={passenger} put={change} />, { wrapper: framed() });
    expect(document.body.textContent).toContain("The study has no timetable yet");
    expect(screen.queryByLabelText("Where the vehicle is left")).toBeNull();
    fireEvent.change(screen.getByLabelText("Way to the first stop"), { target: { value: "drive" } });
    expect(change).toHaveBeenLastCalledWith({ transit: { ...transit, first_by: "drive" } });
    rerender(<ModeRides overview={{ ...OVERVIEW, modes: [INFO] }} mode={{ ...passenger, transit: { ...transit, first_by: "drive" } }} put={change} />);
    write("Minutes to the first stop", "12,5");
    expect(change).toHaveBeenLastCalledWith({ transit: { ...transit, first_by: "drive", first_min: 12.5 } });
    const [layer] = OVERVIEW.layers.filter(({ role }) => role === "places");
    fireEvent.change(screen.getByLabelText("Where the vehicle is left"), { target: { value: layer?.id } });
    expect(change).toHaveBeenLastCalledWith({ transit: { ...transit, first_by: "drive", park_at: layer?.id } });
    fireEvent.change(screen.getByLabelText("Wheelchair"), { target: { value: "yes" } });
    expect(change).toHaveBeenLastCalledWith({ transit: { ...transit, first_by: "drive", on_wheels: true } });
    rerender(<ModeRides overview={OVERVIEW} mode={DOCUMENT} put={change} />);
    expect(screen.queryByText("By public transport")).toBeNull();
  });
});

describe("a mode", () => {
  it("is changed where it stands, and says what that does", async () => {
    write("Speed on residential in km/h", "20");
    await waitFor(() => expect(screen.getByRole("status").textContent).toBe("1.5 km in 12 links can no longer be used."));
    expect(put()).toEqual({ ...DOCUMENT, speeds: { residential: 20, primary: 50 } });
  });
  it("uses a class no more whose speed is taken away", async () => {
    write("Speed on residential in km/h", "");
    await waitFor(() => expect(put()?.speeds).toEqual({ primary: 50 }));
  });
  it("is not sent when nothing was changed", () => {
    write("Top speed in km/h", "130");
    expect(sent).toEqual([]);
  });
  it("takes a change back that Escape ends", () => {
    const field = screen.getByLabelText<HTMLInputElement>("Who moves");
    fireEvent.change(field, { target: { value: "courier" } });
    fireEvent.keyDown(field, { key: "Escape" });
    expect(field.value).toBe("driver");
  });
  it("says where a rule cannot be read, and keeps the former", async () => {
    answer = { status: 400, body: { type: "", title: "", status: 400, detail: "Rule 1: There is no field 'lanez'." } };
    write("Condition of rule 1", "lanez < 2");
    await waitFor(() => expect(screen.getByRole("alert").textContent).toContain("no field 'lanez'"));
  });
  it("has its rules in order: added, moved, made slower, removed", async () => {
    fireEvent.click(screen.getByText("earlier"));
    await waitFor(() => expect(put()?.rules.map(({ where }) => where)).toEqual(["lit = 'no'", "lanes < 2"]));
    sent = [];
    fireEvent.change(screen.getByLabelText("Condition of a new rule"), { target: { value: "width < 3" } });
    fireEvent.click(screen.getByText("Add the rule"));
    await waitFor(() => expect(put()?.rules.at(-1)).toEqual({ where: "width < 3", use: "forbid", factor: 1 }));
    sent = [];
    write("Share of speed of rule 2 in percent", "60");
    await waitFor(() => expect(put()?.rules[1]?.factor).toBe(0.6));
    sent = [];
    fireEvent.click(screen.getByLabelText("Remove rule 1"));
    await waitFor(() => expect(put()?.rules.length).toBe(1));
  });
  it("waits as long as is written", async () => {
    write("At signals, seconds", "30");
    await waitFor(() => expect(put()?.delays).toEqual({ ...DOCUMENT.delays, signals_s: 30 }));
  });
  it("counts slope by the function chosen, up to a limit", async () => {
    fireEvent.change(screen.getByLabelText("Slope"), { target: { value: "power" } });
    await waitFor(() => expect(put()?.slope.by).toBe("power"));
    sent = [];
    write("Steepest slope in percent", "8");
    await waitFor(() => expect(put()?.slope.limit).toBe(0.08));
  });
  it("has a curve that is moved with the keys or written as numbers", async () => {
    const eight = screen.getByLabelText("8 o'clock");
    fireEvent.keyDown(eight, { key: "ArrowDown" });
    fireEvent.keyDown(eight, { key: "ArrowDown" });
    fireEvent.blur(eight);
    await waitFor(() => expect(put()?.curves[0]?.share[8]).toBe(0.9));
    sent = [];
    write("Percent by hour of curve 1", "50 60");
    await waitFor(() => expect(put()?.curves[0]?.share.slice(0, 3)).toEqual([0.5, 0.6, 1]));
    sent = [];
    write("Classes of curve 1", "primary, motorway link");
    await waitFor(() => expect(put()?.curves[0]?.classes).toEqual(["primary", "motorway_link"]));
  });
  it("has costs of one's own, added, changed, removed", async () => {
    write("Value of noise where it has none", "3");
    await waitFor(() => expect(put()?.costs[0]?.missing).toBe(3));
    sent = [];
    fireEvent.change(screen.getByLabelText("Name of a new cost"), { target: { value: "Steep Dread" } });
    fireEvent.change(screen.getByLabelText("Expression of a new cost"), { target: { value: "climb_m * 10" } });
    fireEvent.click(screen.getByText("Add the cost"));
    await waitFor(() => expect(put()?.costs.at(-1)).toEqual({ id: "steep_dread", unit: "", along: "climb_m * 10", against: "", missing: null }));
    sent = [];
    fireEvent.click(screen.getByLabelText("Remove the cost noise"));
    await waitFor(() => expect(put()?.costs).toEqual([]));
  });
  it("is looked at beside another, at an hour, and says what is odd", () => {
    fireEvent.change(screen.getByLabelText("Day"), { target: { value: "saturday" } });
    expect(screenNow().at).toBe("2026-06-06T08:00");
    fireEvent.change(screen.getByLabelText("Colour of the streets"), { target: { value: "slope" } });
    expect(screenNow().colour).toBe("slope");
    expect(screen.getByText(/1 street with a posted limit/)).toBeTruthy();
  });
  it("loses no change made while another is on its way", async () => {
    write("At signals, seconds", "30");
    write("Left turn, seconds", "9");
    await waitFor(() => expect(sent.filter(({ method }) => method === "PUT")).toHaveLength(2));
    expect(sent.filter(({ method }) => method === "PUT").at(-1)?.body.delays).toEqual({ ...DOCUMENT.delays, signals_s: 30, left_s: 9 });
  });
  it("is copied under a title", async () => {
    answer = { status: 201, body: { id: "van" } };
    fireEvent.click(screen.getByText("Copy"));
    fireEvent.change(screen.getByLabelText("Title of the copy"), { target: { value: "Van" } });
    fireEvent.click(screen.getByText("Make it"));
    await waitFor(() => expect(screenNow().mode).toBe("van"));
    expect(sent[0]).toMatchObject({ address: "/studies/ferrow/modes/drive/copy", body: { title: "Van" } });
  });
});

it("puts a change in words", () => {
  const none = { links: 0, km: 0 };
  expect(changeWords({ lost: none, won: none, speed: none, delays: 0 })).toBe("No street changes by that.");
  expect(changeWords({ lost: none, won: { links: 1, km: 0.2 }, speed: { links: 3, km: 1 }, delays: 2 })).toBe("0.2 km in 1 link can be used now; 1.0 km in 3 links have another speed; time lost changes at 2 nodes.");
  expect(changeWords(null)).toBeNull();
});
