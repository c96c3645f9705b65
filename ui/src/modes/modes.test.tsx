import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { ModeDocument } from "../api/modes";
import type { ModeInfo } from "../api/own";
import { changeWords, Modes } from "../stages/Modes";
import { useScreen } from "../state/store";
import { framed, OVERVIEW } from "../testing/fixtures";

const DOCUMENT: ModeDocument = {
  format: "awl-mode-1", id: "drive", title: "Drive", traveller: "driver", speeds: { residential: 30, primary: 50 }, top_speed: 130, access: ["motorcar"], obeys_oneway: true,
  contraflow: "oneway:motorcar", reads_maxspeed: true, turns: ["motorcar"], barriers: ["bollard", "log"], notes: ["Free flow."],
  rules: [{ where: "lanes < 2", use: "forbid", factor: 1 }, { where: "lit = 'no'", use: "slow", factor: 0.5 }],
};
const INFO = {
  id: "drive", title: "Drive", traveller: "driver", notes: DOCUMENT.notes, changed: "", shipped: true, document: DOCUMENT, rule_km: [7.4, 1], barriers_shut: 3, usable_km: 20, total_km: 30,
  links_usable: 200, speed_sources: [{ source: "posted limit", km: 15 }], parts: { count: 1, kept: 1, kept_km: 20, sizes: [], left_out_km: 0, left_out_links: 0 },
  rules: [{ highway: "residential", speed_kmh: 30, length_km: 25, usable_km: 20, oneway_km: 2 }, { highway: "footway", speed_kmh: null, length_km: 5, usable_km: 0, oneway_km: 0 }],
} as unknown as ModeInfo;

const reset = useScreen.getState();
let sent: { address: string; method: string; body: ModeDocument }[];
let answer: { status: number; body: object };

beforeEach(() => {
  useScreen.setState({ ...reset, study: "ferrow", mode: "drive" });
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
  it("is copied under a title", async () => {
    answer = { status: 201, body: { id: "van" } };
    fireEvent.click(screen.getByText("Copy"));
    fireEvent.change(screen.getByLabelText("Title of the copy"), { target: { value: "Van" } });
    fireEvent.click(screen.getByText("Make it"));
    await waitFor(() => expect(useScreen.getState().mode).toBe("van"));
    expect(sent[0]).toMatchObject({ address: "/studies/ferrow/modes/drive/copy", body: { title: "Van" } });
  });
});

it("puts a change in words", () => {
  const none = { links: 0, km: 0 };
  expect(changeWords({ lost: none, won: none, speed: none })).toBe("No street changes by that.");
  expect(changeWords({ lost: none, won: { links: 1, km: 0.2 }, speed: { links: 3, km: 1 } })).toBe("0.2 km in 1 link can be used now; 1.0 km in 3 links have another speed.");
  expect(changeWords(null)).toBeNull();
});
