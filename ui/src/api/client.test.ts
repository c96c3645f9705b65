import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { canonical, isStale, type Answer } from "../state/sheet";
import { followAddress, go, screenNow, screenStore } from "../state/screen";
import { question } from "../testing/fixtures";
import { fetchJson, ProblemError, sendJson } from "./client";
import { follow, } from "./studies";
import { receive } from "./uploads";

type Reply = { status?: number; body: unknown };
const answering = (...replies: Reply[]) => {
  const calls: [string, RequestInit | undefined][] = [];
  vi.stubGlobal("fetch", (address: string, init?: RequestInit) => {
    calls.push([address, init]);
    const { status = 200, body } = replies.length > 1 ? (replies.shift() as Reply) : (replies[0] as Reply);
    return Promise.resolve(new Response(typeof body === "string" ? body : JSON.stringify(body), { status }));
  });
  return calls;
};
afterEach(() => {
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

describe("asking the server", () => {
  it("gives the document", async () => {
    answering({ body: { studies: [] } });
    expect(await fetchJson("/studies")).toEqual({ studies: [] });
  });
  it("turns a problem document into an error in the user's words", async () => {
    answering({ status: 422, body: { type: "t", title: "None", status: 422, detail: "No place lies on a street. Move it." } });
    await expect(fetchJson("/x")).rejects.toThrow("No place lies on a street. Move it.");
  });
  it("says so when the answer is no problem document", async () => {
    answering({ status: 502, body: "<html>" });
    const error = await fetchJson("/x").catch((caught: unknown) => caught);
    expect(error).toBeInstanceOf(ProblemError);
    expect((error as ProblemError).problem.status).toBe(502);
  });
  it("says that the server does not answer and that nothing is lost", async () => {
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("network")));
    await expect(fetchJson("/x")).rejects.toThrow(/does not answer.*last saved state is kept/);
  });
  it("waits for what takes longer than the server lets a request wait", async () => {
    vi.useFakeTimers();
    const states = ["accepted", "running", "successful"];
    const asked: string[] = [];
    vi.stubGlobal("fetch", (address: string) => {
      asked.push(address);
      if (address === "/x") return Promise.resolve(new Response("{}", { status: 202, headers: { Location: "/jobs/j" } }));
      return Promise.resolve(new Response(JSON.stringify(address === "/jobs/j" ? { status: states.shift() } : { areas: 3 })));
    });
    const document = fetchJson("/x");
    await vi.runAllTimersAsync();
    expect(await document).toEqual({ areas: 3 });
    expect(asked).toEqual(["/x", "/jobs/j", "/jobs/j", "/jobs/j", "/jobs/j/results"]);
  });
  it("sends JSON with the headers asked for", async () => {
    const calls = answering({ body: {} });
    await sendJson("/x", "PUT", { a: 1 }, { Prefer: "respond-async" });
    expect(calls[0]?.[1]).toMatchObject({ method: "PUT", body: '{"a":1}', headers: { "Content-Type": "application/json", Prefer: "respond-async" } });
  });
});

describe("a job", () => {
  it("is followed until it ends, and each state is told", async () => {
    vi.useFakeTimers();
    answering({ body: { status: "accepted", progress: 0 } }, { body: { status: "running", progress: 40 } }, { body: { status: "successful", progress: 100 } });
    const seen: number[] = [];
    const done = follow("j1", ({ progress }) => seen.push(progress));
    await vi.runAllTimersAsync();
    expect((await done).status).toBe("successful");
    expect(seen).toEqual([0, 40, 100]);
  });
  it.each(["failed", "dismissed"])("ends when it has %s", async (status) => {
    answering({ body: { status, progress: 10 } });
    expect((await follow("j1", () => undefined)).status).toBe(status);
  });
});

describe("sending a file", () => {
  class Sent {
    static last: Sent;
    upload: { onprogress?: (event: { loaded: number; total: number }) => void } = {};
    status = 201;
    responseText = '{"token":"a1","name":"l.gpkg","layers":[]}';
    onload = () => undefined;
    onerror = () => undefined;
    address = "";
    constructor() {
      Sent.last = this;
    }
    open(_: string, address: string) {
      this.address = address;
    }
    setRequestHeader() {}
    send() {
      this.upload.onprogress?.({ loaded: 1, total: 4 });
    }
  }
  beforeEach(() => vi.stubGlobal("XMLHttpRequest", Sent));
  const file = new File(["x"], "l & m.gpkg");
  it("names it safely and reports its progress", async () => {
    const shares: number[] = [];
    const sent = receive(file, null, (share) => shares.push(share));
    Sent.last.onload();
    expect((await sent).token).toBe("a1");
    expect(Sent.last.address).toBe("/uploads?name=l%20%26%20m.gpkg");
    expect(shares).toEqual([0.25]);
  });
  it("fails with the server's reason", async () => {
    const sent = receive(file, null, () => undefined);
    Object.assign(Sent.last, { status: 400, responseText: '{"title":"t","detail":"l.gpkg: The file is empty."}' });
    Sent.last.onload();
    await expect(sent).rejects.toThrow("l.gpkg: The file is empty.");
  });
  it("fails in words when something between answers with a page of its own", async () => {
    for (const [status, why] of [[413, "too large"], [502, "status 502"]] as const) {
      const sent = receive(file, null, () => undefined);
      Object.assign(Sent.last, { status, responseText: "<html>No</html>" });
      Sent.last.onload();
      await expect(sent).rejects.toThrow(why);
    }
  });
  it("fails in words when the way is broken", async () => {
    const sent = receive(file, null, () => undefined);
    Sent.last.onerror();
    await expect(sent).rejects.toThrow("could not be sent");
  });
});

describe("the address", () => {
  const reset = screenNow();
  beforeEach(() => screenStore.setState({ ...reset }));
  it("chooses study and stage", () => {
    location.hash = "#/ferrow%20b/modes";
    followAddress();
    expect(screenNow()).toMatchObject({ study: "ferrow b", stage: "modes" });
  });
  it("falls back to the sheet, and to no study", () => {
    location.hash = "#/ferrow/nowhere";
    followAddress();
    expect(screenNow().stage).toBe("sheet");
    location.hash = "#/";
    followAddress();
    expect(screenNow().study).toBeNull();
  });
  it("forgets the selection when the study changes, not when the stage does", () => {
    location.hash = "#/a/sheet";
    followAddress();
    screenStore.setState({ question: "q1", row: "Lorren 1" });
    location.hash = "#/a/modes";
    followAddress();
    expect(screenNow().question).toBe("q1");
    location.hash = "#/b/modes";
    followAddress();
    expect(screenNow()).toMatchObject({ question: null, row: null });
  });
  it("is written so that it can be read again", () => {
    go("sedge/1", "streets");
    followAddress();
    expect(screenNow()).toMatchObject({ study: "sedge/1", stage: "streets" });
  });
});

describe("equal questions", () => {
  it("have equal text whatever the order of their words", () => {
    expect(canonical({ b: [1, { d: 2, c: undefined }], a: null })).toBe(canonical({ a: null, b: [1, { d: 2 }] }));
    expect(canonical({ limits: [5, 10] })).not.toBe(canonical({ limits: [10, 5] }));
  });
  it("make an answer stale only when a word differs or the streets do", () => {
    const block = question("q", "isochrone", { limits: [5], mode: "walk" });
    const answer = { inputs: { mode: "walk", limits: [5] }, fresh: true } as unknown as Answer;
    expect(isStale(block, answer)).toBe(false);
    expect(isStale(block, { ...answer, fresh: false })).toBe(true);
    expect(isStale(block, null)).toBe(false);
  });
});
