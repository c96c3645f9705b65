import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { describe, expect, it, vi } from "vitest";
import type { SheetDoc } from "../api/studies";
import { question, sheetOf } from "../testing/fixtures";
import { screenNow } from "./screen";
import { canonical, isStale, useSheet, useSheetActions, type Answer, type QuestionBlock } from "./sheet";

const block: QuestionBlock = {
  id: "q1",
  kind: "question",
  process: "isochrone",
  inputs: { mode: "walk", limits: [5, 10], places: { layer: "rooms" } },
};
const answer = { fresh: true, inputs: { limits: [5, 10], places: { layer: "rooms" }, mode: "walk" } } as unknown as Answer;

describe("the state of an answer", () => {
  it("is fresh when only the order of keys differs", () => expect(isStale(block, answer)).toBe(false));
  it("is stale when a word changed", () =>
    expect(isStale({ ...block, inputs: { ...block.inputs, limits: [5, 15] } }, answer)).toBe(true));
  it("is stale when the streets changed", () => expect(isStale(block, { ...answer, fresh: false })).toBe(true));
  it("is not stale when there is none", () => expect(isStale(block, null)).toBe(false));
});

describe("canonical", () => {
  it("keeps the order of lists and drops undefined", () => {
    expect(canonical({ b: [2, 1], a: undefined })).toBe('{"b":[2,1]}');
    expect(canonical([1, 2])).not.toBe(canonical([2, 1]));
  });
});

describe("a change", () => {
  it("is not lost to an older sheet that arrives after it", async () => {
    const [old, added] = [question("q1", "access", {}), question("q2", "isochrone", {})];
    const queries = new QueryClient({ defaultOptions: { queries: { staleTime: 0 } } });
    queries.setQueryData(["sheet", "ferrow", "main"], sheetOf(old));
    let arrive = () => undefined as void;
    vi.stubGlobal("fetch", (_: string, init?: RequestInit) => {
      if (init?.method === "PUT") return Promise.resolve(new Response(JSON.stringify(sheetOf(old, added))));
      return new Promise((done) => (arrive = () => done(new Response(JSON.stringify(sheetOf(old))))));
    });
    const wrapper = ({ children }: { children: ReactNode }) => <QueryClientProvider client={queries}>{children}</QueryClientProvider>;
    const { result } = renderHook(() => ({ sheet: useSheet("ferrow"), actions: useSheetActions("ferrow") }), { wrapper });
    await waitFor(() => expect(result.current.sheet.isFetching).toBe(true));
    await act(() => result.current.actions.save((sheet: SheetDoc) => ({ blocks: [...sheet.blocks, added] })));
    await act(async () => {
      arrive();
      await new Promise((done) => setTimeout(done));
    });
    expect(result.current.sheet.data?.blocks).toHaveLength(2);
    vi.unstubAllGlobals();
  });
  const hook = (queries: QueryClient) => {
    const wrapper = ({ children }: { children: ReactNode }) => <QueryClientProvider client={queries}>{children}</QueryClientProvider>;
    return renderHook(() => useSheetActions("ferrow"), { wrapper }).result;
  };
  const shown = (queries: QueryClient) => queries.getQueryData<SheetDoc>(["sheet", "ferrow", "main"]);
  const reply = (status: number, body: unknown) => Promise.resolve(new Response(JSON.stringify(body), { status }));

  it("that fails is not undone by itself once another was made after it", async () => {
    const queries = new QueryClient();
    queries.setQueryData(["sheet", "ferrow", "main"], sheetOf());
    const [one, two] = [question("q1", "access", {}), question("q2", "isochrone", {})];
    const overs: (string | null)[] = [];
    vi.stubGlobal("fetch", (_: string, init: RequestInit) => {
      overs.push(new Headers(init.headers).get("If-Match"));
      return overs.length === 1 ? reply(500, { title: "Down", detail: "Down" }) : reply(200, { ...sheetOf(one, two), changed: "t2" });
    });
    const actions = hook(queries);
    await act(async () => {
      const first = actions.current.save((sheet) => ({ blocks: [...sheet.blocks, one] }));
      await actions.current.save((sheet) => ({ blocks: [...sheet.blocks, two] }));
      await first;
    });
    expect(shown(queries)?.blocks.map(({ id }) => id)).toEqual(["q1", "q2"]);
    await act(() => actions.current.save(() => ({ title: "Next" })));
    expect(overs.at(-1)).toBe('"t2"');
    vi.unstubAllGlobals();
  });

  it("over a newer sheet of somebody else's is told, and combined or left", async () => {
    const queries = new QueryClient();
    const [one, theirs] = [question("q1", "access", {}), question("q2", "isochrone", { places: { features: [] } })];
    const newer = { ...sheetOf(theirs), title: "Theirs", changed: "t9" };
    queries.setQueryData(["sheet", "ferrow", "main"], sheetOf());
    const sent: { over: string | null; body: { blocks?: { id: string }[] } }[] = [];
    vi.stubGlobal("fetch", (_: string, init?: RequestInit) => {
      if (init?.method !== "PUT") return reply(200, newer);
      const over = new Headers(init.headers).get("If-Match");
      const body = JSON.parse(init.body as string) as { blocks: { id: string }[] };
      sent.push({ over, body });
      return over === '"t9"' ? reply(200, { ...newer, ...body, changed: "t10" }) : reply(412, { title: "Changed", detail: "Changed", status: 412 });
    });
    const actions = hook(queries);
    await act(() => actions.current.save((sheet) => ({ blocks: [...sheet.blocks, one] })));
    expect(screenNow().conflict?.title).toBe("Theirs");
    expect(shown(queries)?.blocks.map(({ id }) => id)).toEqual(["q1"]);
    await act(() => actions.current.settle("combine"));
    expect(screenNow().conflict).toBeNull();
    expect(sent.at(-1)?.over).toBe('"t9"');
    expect(sent.at(-1)?.body.blocks?.map(({ id }) => id).sort()).toEqual(["q1", "q2"]);
    screenNow().setConflict(newer);
    await act(() => actions.current.settle("theirs"));
    expect(shown(queries)?.blocks.map(({ id }) => id)).toEqual(["q2"]);
    vi.unstubAllGlobals();
  });
});

describe("a question that is asked again while it runs", () => {
  /** A server that numbers its jobs; those in `ended` have ended well, and one that is stopped is known no longer. */
  function server(queries: QueryClient) {
    const sent: string[] = [];
    const ended = new Set<string>();
    let jobs = 0;
    vi.stubGlobal("fetch", async (path: string, init?: RequestInit) => {
      await Promise.resolve();
      sent.push(`${init?.method ?? "GET"} ${path}`);
      if (init?.method === "POST") return new Response(JSON.stringify({ jobID: `j${++jobs}` }));
      const id = path.split("/").at(-1) ?? "";
      if (init?.method === "DELETE" || sent.includes(`DELETE ${path}`)) return new Response(JSON.stringify({ title: "Gone", detail: "There is no job" }), { status: init?.method ? 200 : 404 });
      return new Response(JSON.stringify({ jobID: id, status: ended.has(id) ? "successful" : "running", progress: 10, message: "Going" }));
    });
    const wrapper = ({ children }: { children: ReactNode }) => <QueryClientProvider client={queries}>{children}</QueryClientProvider>;
    const { ask } = renderHook(() => useSheetActions("ferrow"), { wrapper }).result.current;
    return { sent, ended, ask, times: (what: string) => sent.filter((line) => line.startsWith(what)).length };
  }
  const inputs = { places: { layer: "rooms" } };

  it("is asked once where its words are the same", async () => {
    const { ask, ended, times } = server(new QueryClient());
    const first = ask("q1", "isochrone", inputs);
    await ask("q1", "isochrone", { ...inputs });
    ended.add("j1");
    await first;
    expect([times("POST"), times("DELETE"), screenNow().runs.q1]).toEqual([1, 0, undefined]);
    vi.unstubAllGlobals();
  });

  it("is stopped in its old words, and says what becomes of the new ones alone", async () => {
    const { ask, ended, times } = server(new QueryClient());
    const first = ask("q1", "isochrone", inputs);
    await waitFor(() => expect(screenNow().runs.q1?.job).toBe("j1"));
    const second = ask("q1", "isochrone", { ...inputs, mode: "car" });
    await first;
    expect(times("DELETE /jobs/j1")).toBe(1);
    expect(screenNow().runs.q1).toMatchObject({ error: null, stopped: false });
    ended.add("j2");
    await second;
    expect([times("POST"), screenNow().runs.q1]).toEqual([2, undefined]);
    vi.unstubAllGlobals();
  });

  it("is stopped also where the server had not yet said by which job it is answered", async () => {
    const { ask, ended, times } = server(new QueryClient());
    ended.add("j2");
    await Promise.all([ask("q1", "isochrone", inputs), ask("q1", "isochrone", { ...inputs, mode: "car" })]);
    expect([times("DELETE /jobs/j1"), times("DELETE"), screenNow().runs.q1]).toEqual([1, 1, undefined]);
    vi.unstubAllGlobals();
  });

  it("is asked anew where what it rests on has a new answer", async () => {
    const { ask, ended, times } = server(new QueryClient());
    ended.add("j2");
    await Promise.all([ask("q1", "isochrone", inputs), ask("q1", "isochrone", inputs, ["q0", "q1"])]);
    expect([times("POST"), times("DELETE /jobs/j1")]).toEqual([2, 1]);
    vi.unstubAllGlobals();
  });
});
