import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { bring } from "./form";
import { PointField, valuesOf } from "./points";
import { roomFor, spotFor, streetClass } from "./tiles";

const WORDS = { points: "%d points", near: "near %s" };
const input = (html: string) => {
  document.body.innerHTML = html;
  return document.querySelector("input") as HTMLInputElement;
};

describe("a blank for points", () => {
  it("takes one point in the place of the former one, and is sent as GeoJSON", () => {
    const field = new PointField(input('<input name="where" data-points="[]">'), WORDS);
    field.set([-36.2, 41.3]);
    expect(field.input.value).toBe("41.30000, -36.20000");
    field.set([-36.21, 41.31], "Heron Lane 5");
    expect(field.input.value).toBe("Heron Lane 5");
    expect(field.value()).toEqual({ type: "FeatureCollection", features: [{ type: "Feature", properties: { name: "Heron Lane 5" }, geometry: { type: "Point", coordinates: [-36.21, 41.31] } }] });
    field.call(0, "Mash Drive");
    expect(field.input.value).toBe("near Mash Drive");
    field.move(0, [-36.3, 41.4]);
    expect(field.input.value).toBe("41.40000, -36.30000");
    field.remove(0);
    expect([field.input.value, field.value()]).toEqual(["", ""]);
  });
  it("counts several, and begins with those of the sheet", () => {
    const field = new PointField(input('<input name="where" data-many data-points="[[1,2],[3,4]]">'), WORDS);
    expect(field.input.value).toBe("2 points");
    field.set([5, 6]);
    expect(field.points).toHaveLength(3);
  });
  it("is an address where one is written", () => {
    const field = new PointField(input('<input name="where" data-points="[[1,2]]">'), WORDS);
    field.input.value = " Heron Lane 5 ";
    field.input.dispatchEvent(new Event("input"));
    expect(field.value()).toEqual({ name: "Heron Lane 5" });
  });
});

it("the values of a form are those of its blanks", () => {
  document.body.innerHTML = `<form><input name="far" data-kind="text" value=" 500 "><select name="who" data-kind="choice"><option value="walk"></option></select>
    <span data-kind="ticks" data-name="groups"><input type="checkbox" value="a" checked><input type="checkbox" value="b"></span></form>`;
  expect(valuesOf(document.body, [])).toEqual({ far: "500", who: "walk", groups: ["a"] });
});

describe("the base map", () => {
  it("letters a street along its longest straight piece, never upside down, never beyond its tile", () => {
    const line = [{ x: 400, y: 100 }, { x: 300, y: 100 }, { x: 100, y: 100 }, { x: 100, y: 130 }];
    expect(roomFor(line, 80, 512)).toMatchObject({ x: 200, y: 100 });
    expect(Math.abs(roomFor(line, 80, 512)?.angle ?? 9) % (2 * Math.PI)).toBeCloseTo(0);
    expect(roomFor(line, 250, 512)).toBeNull();
    expect(roomFor(line, 80, 220)).toBeNull();
    expect(roomFor([{ x: 0, y: 0 }, { x: 0, y: 200 }], 80, 512)).toBeNull();
  });
  it("writes no name over another, and moves those at the edge in", () => {
    const taken: Parameters<typeof spotFor>[3] = [];
    expect(spotFor({ x: 3, y: 250 }, 40, 9, taken)).toEqual({ x: 40, y: 250 });
    expect(spotFor({ x: 100, y: 255 }, 40, 9, taken)).toBeNull();
    expect(spotFor({ x: 130, y: 250 }, 40, 9, taken)).toEqual({ x: 130, y: 250 });
  });
  it("draws main streets stronger than lanes, and all stronger as one comes closer", () => {
    expect(streetClass("primary", 13).width).toBeGreaterThan(streetClass("residential", 13).width);
    expect(streetClass("residential", 15).width).toBeGreaterThan(streetClass("residential", 13).width);
    expect(streetClass("footway", 13).token).toBe("--st-path");
  });
});

describe("a form", () => {
  const page = `<form id="form" data-address="/studies/f/forms/burst"><input name="far" data-kind="text" value="500"><button type="submit"></button><button type="button" id="stop" hidden></button>
    <span id="state" data-asking="Asking" data-stopped="Stopped." data-gone="Gone." data-failed="Not reached."></span><p id="problem" hidden></p></form><section id="outcome" tabindex="-1"></section>`;
  const asked: [string, string, unknown][] = [];
  let jobs: string[] = [];
  let refused: { status: number; body: unknown } | null = null;
  const json = (body: unknown, status = 200) => Promise.resolve(new Response(JSON.stringify(body), { status }));
  beforeEach(() => {
    asked.length = 0;
    refused = null;
    jobs = ["running", "successful"];
    document.body.innerHTML = page;
    Element.prototype.scrollIntoView = () => undefined;
    history.replaceState(null, "", "/studies/f/forms/burst");
    vi.stubGlobal("fetch", (address: string, init: RequestInit = {}) => {
      asked.push([init.method ?? "GET", address, init.body ? JSON.parse(init.body as string) : null]);
      if (refused && address.includes("/runs")) return json(refused.body, refused.status);
      if (init.method === "POST") return json({ jobID: "j1", status: "accepted" }, 201);
      if (address === "/jobs/j1") return json({ jobID: "j1", status: jobs.length > 1 ? jobs.shift() : jobs[0], progress: 40, message: "Reaching" });
      return Promise.resolve(new Response("<article>43 parcels</article>"));
    });
  });
  afterEach(() => vi.unstubAllGlobals());
  const text = (id: string) => document.getElementById(id)?.textContent;
  const answer = () => document.getElementById("form")?.dispatchEvent(new Event("submit", { cancelable: true }));

  it("is answered as a job, and its answer has an address", async () => {
    bring(document);
    answer();
    await vi.waitFor(() => expect(text("outcome")).toBe("43 parcels"));
    expect(asked[0]).toEqual(["POST", "/studies/f/forms/burst/runs", { values: { far: "500" } }]);
    expect(location.search).toBe("?run=j1");
    expect([text("state"), document.getElementById("stop")?.hidden]).toEqual(["", true]);
  });
  it("says what the server does not allow, and at which blank", async () => {
    bring(document);
    refused = { status: 400, body: { detail: "'How far': 5 is less than 100.", inputs: ["far"] } };
    answer();
    await vi.waitFor(() => expect(text("problem")).toBe("'How far': 5 is less than 100."));
    expect(document.querySelector("[name=far]")?.hasAttribute("aria-invalid")).toBe(true);
    expect(document.activeElement?.getAttribute("name")).toBe("far");
    refused = null;
    answer();
    await vi.waitFor(() => expect(text("outcome")).toBe("43 parcels"));
    expect(document.querySelector("[name=far]")?.hasAttribute("aria-invalid")).toBe(false);
  });
  it("can be stopped", async () => {
    jobs = ["running"];
    bring(document);
    answer();
    await vi.waitFor(() => expect(text("state")).toBe("Reaching, 40 %"));
    document.getElementById("stop")?.click();
    expect(asked.some(([method, address]) => method === "DELETE" && address === "/jobs/j1")).toBe(true);
    jobs = ["dismissed"];
    await vi.waitFor(() => expect(text("problem")).toBe("Stopped."), 3000);
  });
  it("says that the server is away, and that a former answer is gone", async () => {
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("away")));
    bring(document);
    answer();
    await vi.waitFor(() => expect(text("problem")).toBe("Not reached."));
    vi.stubGlobal("fetch", () => json({ detail: "no job" }, 404));
    history.replaceState(null, "", "?run=old");
    document.body.innerHTML = page;
    bring(document);
    await vi.waitFor(() => expect(text("problem")).toBe("Gone."));
  });
});
