import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type { ModeInfo, Overview } from "../../api/studies";
import { screenNow, screenStore } from "../../state/screen";
import { answerOf, framed, OVERVIEW, question, sheetOf, square } from "../../testing/fixtures";
import AnswerChart from "../results/AnswerChart";
import { Handout } from "./Handout";
import { Modes } from "../modes/Modes";

const modeDocument = (speeds: Record<string, number>) => ({ traveller: "walker", speeds, top_speed: 4.8, access: [], barriers: [], rules: [], notes: [], delays: {}, slope: { by: "hiking", limit: 0 }, vehicle: {}, curves: [], costs: [] });
const WALK = {
  id: "walk", title: "Walk", traveller: "walker", notes: ["Walks at 4.8 km/h."], usable_km: 80, total_km: 100, links_usable: 10,
  speed_sources: [{ source: "posted limit", km: 0 }, { source: "speed of its class", km: 80 }],
  mean_kmh: 4.7, parts: { count: 3, kept_km: 80, left_out_km: 1.25, left_out_links: 7 }, shipped: true, changed: "", document: modeDocument({ residential: 4.8 }),
  rules: [
    { highway: "residential", speed_kmh: 4.8, length_km: 80, usable_km: 80, oneway_km: 0 },
    { highway: "motorway_link", speed_kmh: null, length_km: 20, usable_km: 0, oneway_km: 0 },
    { highway: "corridor", speed_kmh: null, length_km: 1, usable_km: 1, oneway_km: 0.5 },
  ],
} as unknown as ModeInfo;
const BROKEN = { id: "drive", title: "Drive", traveller: "driver", notes: [], shipped: true, changed: "", document: modeDocument({}), problem: "The mode 'drive' can use no connected street of this study." } as unknown as ModeInfo;
const WITH_MODES: Overview = { ...OVERVIEW, modes: [WALK, BROKEN] };
const reset = screenNow();

beforeEach(() => screenStore.setState({ ...reset, study: "ferrow", mode: "walk" }));
afterEach(cleanup);
const cells = (name: string) => [...(screen.getByText(name).closest("tr")?.querySelectorAll("td") ?? [])].map((cell) => cell.textContent);

describe("the modes", () => {
  const speedOn = (name: string) => screen.getByLabelText<HTMLInputElement>(`Speed on ${name} in km/h`);
  it("say how much may be used, at what speed, and where the speed comes from", () => {
    render(<Modes overview={WITH_MODES} />, { wrapper: framed() });
    expect(cells("residential")).toEqual(["residential", "80.0", "80.0", "", ""]);
    expect(cells("motorway link")).toEqual(["motorway link", "20.0", "not used", "", ""]);
    expect([speedOn("residential").value, speedOn("motorway link").value]).toEqual(["4.8", ""]);
    expect([speedOn("corridor").value, speedOn("corridor").placeholder]).toEqual(["", "by tag"]);
    expect(document.body.textContent).toContain("speed of its class 100%");
    expect(document.body.textContent).toContain("1.3 km in cut-off parts are left out.");
  });
  it("are chosen by their tab, and a mode that cannot be used says so", () => {
    const { rerender } = render(<Modes overview={WITH_MODES} />, { wrapper: framed() });
    fireEvent.click(screen.getByRole("tab", { name: "Drive" }));
    rerender(<Modes overview={WITH_MODES} />);
    expect(screen.getByRole("tab", { name: "Drive" }).getAttribute("aria-selected")).toBe("true");
    expect(document.body.textContent).toContain("can use no connected street");
  });
  it("wait for streets", () => {
    render(<Modes overview={OVERVIEW} />, { wrapper: framed() });
    expect(document.body.textContent).toContain("Bring in an extract first");
  });
});

describe("the handout", () => {
  const block = question("q1", "access", { limits: [5] });
  const result = { title: "Walk, population within 5 min", zones: { type: "FeatureCollection", features: [square(0, {})] }, totals: [{ field: "population" }], schema: { zones: [], totals: [] } };
  const show = (answer: unknown) =>
    render(<Handout overview={WITH_MODES} />, { wrapper: framed([[["sheet", "ferrow", "main"], sheetOf(block)], [["answer", "ferrow", "q1"], answer]]) });
  const links = () => screen.getAllByRole("link").map((link) => link.getAttribute("href"));

  it("gives away study, layers and the streets of each mode", () => {
    show(null);
    expect(links()).toEqual(expect.arrayContaining([
      "/studies/ferrow/file",
      "/studies/ferrow/export/layers/zones?format=geojson",
      "/studies/ferrow/export/layers/cool_rooms?format=csv",
      "/studies/ferrow/export/streets?mode=walk",
      "/studies/ferrow/api",
    ]));
    expect(links()).not.toContain("/studies/ferrow/export/layers/water?format=csv");
  });
  it("says where other programs find the study", () => {
    show(null);
    expect(document.querySelector("code")?.textContent).toBe(`${location.origin}/studies/ferrow`);
  });
  it("offers an answer's maps as GeoJSON and its tables as CSV", () => {
    show(answerOf(block, { ...result, view: { charts: [{ kind: "curve" }], tables: [{ title: "By hour" }] } }));
    expect(links().filter((link) => /view|charts|tables/.test(link ?? ""))).toEqual([]); // how the page shows it is no result
    expect(links()).toEqual(expect.arrayContaining([
      "/studies/ferrow/export/answers/q1/zones?format=geojson",
      "/studies/ferrow/export/answers/q1/totals?format=csv",
    ]));
    expect(links()).not.toContain("/studies/ferrow/export/answers/q1/totals?format=geojson");
    expect(document.body.textContent).toContain("Walk, population within 5 min");
  });
});

describe("a route's directions", () => {
  const steps = [
    { turn: "start", street: "Curl Lane", distance_m: 108, duration_s: 81 },
    { turn: "turn left", street: "Gant Avenue", distance_m: 1250, duration_s: 30, beside_m: 12.4 },
    { turn: "go straight on", street: "Gant Bridge", distance_m: 90, duration_s: 68 },
    { turn: "end", street: "at the end", distance_m: 0, duration_s: 60 },
  ];
  const result = { view: { charts: [{ kind: "steps", title: "Directions", part: "steps" }] }, steps };
  it("are words with distance and time", () => {
    render(<AnswerChart result={result as unknown as Parameters<typeof AnswerChart>[0]["result"]} />);
    expect(screen.getAllByRole("listitem").map((item) => item.textContent)).toEqual([
      "108 m, 1 minstart on Curl Lane",
      "1.25 km, 30 sturn left into Gant Avenue, 12 m beside",
      "90 m, 1 minstraight on into Gant Bridge",
      "1 minend at the end",
    ]);
  });
  it("are nothing where an answer has no chart", () => {
    const { container } = render(<AnswerChart result={{ view: {} } as Parameters<typeof AnswerChart>[0]["result"]} />);
    expect(container.textContent).toBe("");
  });
});
