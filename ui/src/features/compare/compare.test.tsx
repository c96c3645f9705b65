import { cleanup, fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { AnswersEditor } from "../../controls/AnswersEditor";
import { slotWords } from "../../controls/words";
import { isComplete } from "../../api/inputs";
import type { Scene } from "../../map/scene";
import { screenNow } from "../../state/screen";
import type { Answer, QuestionBlock } from "../../state/sheet";
import { comparable } from "../../state/comparable";
import { answerOf, framed, OVERVIEW, PROCESSES, processOf, question, setTokens, sheetOf, square, TOKENS } from "../../testing/fixtures";
import { CompareLook } from "./CompareLook";
import { CompareWith } from "./CompareWith";
import { Differing } from "./Differing";
import { linkMaps } from "./linked";
import { sideContents } from "./sideContent";

const walk = question("q1", "access", { mode: "walk" });
const cycle = question("q2", "access", { mode: "cycle" });
const far = question("q3", "isochrone", { mode: "walk" });
const apart = question("q4", "compare", { answers: [{ answer: "q1" }, { answer: "q2" }] });
const KEPT = { id: "kept_1", process: "access", title: "Before the works", made: "2026-08-04T12:00:00Z" };
const WORDS = [{ kind: "mode", label: "Mode", texts: ["walker", "cyclist", "walker"] }, { kind: "time", label: "Hour", texts: ["in free flow", "in free flow", "at 17:00"] }];

const frame = (copies = [KEPT], ...more: [unknown[], unknown][]) =>
  framed([[["sheet", "ferrow", "main"], sheetOf(walk, cycle, far, apart)], [["kept", "ferrow"], copies], [["processes", "ferrow"], PROCESSES], ...more]);

beforeEach(() => setTokens(TOKENS));
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

it("offers answers of one kind, of the sheet and those kept, and no comparison", () => {
  const blocks = [walk, cycle, far, apart];
  expect(comparable(blocks, [KEPT], null).map(({ id }) => id)).toEqual(["q1", "q2", "q3", "kept_1"]);
  expect(comparable(blocks, [KEPT], "access").map(({ id }) => id)).toEqual(["q1", "q2", "kept_1"]);
});

it("says which answers are compared, by their numbers and names", () => {
  const slot = processOf("compare")["x-awl"].slots.answers;
  if (!slot) throw new Error("no such word");
  const known = { layers: [], questions: { q1: "answer 1", q2: "'By cycle'" }, kept: { kept_1: "Before" } };
  const words = (...answers: object[]) => slotWords(slot, answers, known);
  expect(words({ answer: "q1" }, { answer: "q2" })).toBe("answer 1 and 'By cycle'");
  expect(words({ answer: "kept_1" }, { answer: "gone" })).toBe("'Before' and an answer that is gone");
  expect(words({ answer: "q1" }, { answer: "q1", study: "other" })).toBe("answer 1 and q1 of other");
  expect(words()).toBe("no answers yet");
  const slots = { answers: slot };
  expect([isComplete({ answers: [{ answer: "q1" }] }, slots), isComplete({ answers: [{ answer: "q1" }, { answer: "q2" }] }, slots)]).toEqual([false, true]);
});

it("the editor takes answers in the order in which they are chosen, of one kind", () => {
  const put = vi.fn();
  const props = { block: apart, process: processOf("compare"), overview: OVERVIEW, name: "answers", slot: processOf("compare")["x-awl"].slots.answers!, putAll: vi.fn() };
  const page = render(<AnswersEditor {...props} value={[{ answer: "q1" }, { answer: "q2" }]} put={put} />, { wrapper: frame() });
  const boxes = screen.getAllByRole<HTMLInputElement>("checkbox");
  expect(boxes.map(({ checked }) => checked)).toEqual([true, true, false]);
  expect(screen.getByText(/answer 1, .*: the others are set against it/)).toBeTruthy();
  fireEvent.click(screen.getByLabelText(/Before the works/));
  expect(put).toHaveBeenLastCalledWith([{ answer: "q1" }, { answer: "q2" }, { answer: "kept_1" }]);
  fireEvent.click(screen.getByLabelText(/answer 1/));
  expect(put).toHaveBeenLastCalledWith([{ answer: "q2" }]);
  page.rerender(<AnswersEditor {...props} value={[]} put={put} />);
  expect(screen.getAllByRole("checkbox")).toHaveLength(4);
});

it("an answer is compared with one click, and the other is what it is set against", async () => {
  const sent: [string, string, Record<string, unknown>][] = [];
  vi.stubGlobal("fetch", (address: string, init: RequestInit = {}) => {
    sent.push([init.method ?? "GET", address, init.body ? (JSON.parse(init.body as string) as Record<string, unknown>) : {}]);
    return Promise.resolve(new Response(JSON.stringify({ ...sheetOf(), jobID: "j", status: "failed", message: "no" }), { headers: { "Content-Type": "application/json" } }));
  });
  const close = vi.fn();
  const { container } = render(<CompareWith overview={OVERVIEW} block={cycle} made="2026-08-04T12:00:00Z" close={close} />, { wrapper: frame() });
  expect(within(container).getAllByRole("button").map(({ textContent }) => textContent)).toEqual(["answer 1", "'Before the works'", "forget", "With an answer of another sheet or study", "Keep", "Close"]);
  fireEvent.click(screen.getByText("answer 1"));
  expect(close).toHaveBeenCalled();
  await waitFor(() => expect(sent.some(([, address]) => address.includes("/processes/compare/execution"))).toBe(true));
  const [, , saved] = sent.find(([method, address]) => method === "PUT" && address.endsWith("/sheets/main")) ?? [];
  const last = (saved?.blocks as QuestionBlock[]).at(-1);
  expect(last).toMatchObject({ process: "compare", inputs: { answers: [{ answer: "q1" }, { answer: "q2" }] } });
  expect(screenNow().question).toBe(last?.id);
});

it("an answer is kept under a name, and a kept one is forgotten; a failure is said there", async () => {
  const sent: [string, string, string][] = [];
  let fails = false;
  vi.stubGlobal("fetch", (address: string, init: RequestInit = {}) => {
    sent.push([init.method ?? "GET", address, (init.body as string | undefined) ?? ""]);
    const body = fails ? { title: "Too many", status: 409, detail: "100 answers are kept already." } : address.endsWith("/answers") ? { answers: [KEPT] } : { jobID: "j", status: "successful" };
    return Promise.resolve(new Response(JSON.stringify(body), { status: fails ? 409 : 200, headers: { "Content-Type": "application/json" } }));
  });
  render(<CompareWith overview={OVERVIEW} block={far} made="2026-08-04T12:00:00Z" close={vi.fn()} />, { wrapper: frame() });
  expect(screen.getByText(/no other answer of this kind/)).toBeTruthy();
  const name = screen.getByLabelText("Name of the kept answer");
  fireEvent.change(name, { target: { value: "Before" } });
  fails = true;
  fireEvent.blur(name);
  expect((await screen.findByRole("alert")).textContent).toContain("kept already");
  fails = false;
  fireEvent.click(screen.getByText("Keep"));
  await screen.findByText(/It stands whatever/);
  const kept = sent.filter(([method, address]) => method === "POST" && address.endsWith("/answers/q3/copies"));
  expect(kept.map(([, , body]) => (JSON.parse(body) as { title: string }).title)).toEqual(["Before", expect.stringMatching(/^answer of /)]);
  cleanup();
  render(<CompareWith overview={OVERVIEW} block={walk} made={undefined} close={vi.fn()} />, { wrapper: frame() });
  fireEvent.click(screen.getByLabelText("Forget 'Before the works'"));
  await waitFor(() => expect(sent.some(([method, address]) => method === "DELETE" && address.endsWith("/answers/kept_1"))).toBe(true));
});

it("says word by word what differs, each answer with the first", () => {
  const answers = ["a", "b", "c"].map((label) => ({ label, answer: label }));
  const page = render(<Differing compared={{ answers, words: WORDS }} />);
  expect(page.container.textContent).toBe("The same question, but cyclist for walker; at 17:00 for in free flow.");
  expect([...page.container.querySelectorAll("em")].map(({ className }) => className)).toEqual(["mode", "mode", "time", "time"]);
  page.rerender(<Differing compared={{ answers, words: [] }} />);
  expect(page.container.textContent).toContain("at different times");
});

it("the legend chooses between difference, two maps and one over the other, for answers of this study", () => {
  const answers = ["walker", "cyclist", "driver"].map((label, i) => ({ label, answer: `q${i + 1}` }));
  const compared = (own: object[]) => answerOf(apart, { view: { compared: { answers: own, words: WORDS } } });
  screenNow().selectQuestion("q4");
  render(<CompareLook study="ferrow" />, { wrapper: frame([], [["answer", "ferrow", "q4"], compared(answers)]) });
  fireEvent.change(screen.getByLabelText("How the answers stand on the map"), { target: { value: "slider" } });
  expect(screenNow().apart).toBe("slider");
  fireEvent.change(screen.getByLabelText("The answer beside the first"), { target: { value: "2" } });
  expect([screenNow().apart, screenNow().second]).toEqual(["slider", 2]);
  cleanup();
  const page = render(<CompareLook study="ferrow" />, { wrapper: frame([], [["answer", "ferrow", "q4"], compared([...answers, { label: "elsewhere" }])]) });
  expect(page.container.textContent).toBe("");
});

it("two maps share the classes that are made of the values of both", () => {
  const zones = (block: QuestionBlock, ...values: number[]) =>
    answerOf(block, {
      zones: { type: "FeatureCollection", features: values.map((reached, i) => square(i, { zone: `z${i}`, reached })) },
      schema: { zones: [{ name: "reached", type: "number" }] },
      view: { map: { layers: [{ part: "zones", drawn: "zones", grades: { id: "g", fields: [{ field: "reached", title: "Reached" }], classing: "equal" } }] } },
    });
  const pair = [zones(walk, 0, 10), zones(cycle, 40, 100)] as readonly [Answer, Answer];
  const { contents, groups } = sideContents(pair, {}, { field: null, classing: "equal", own: null });
  expect(contents.map(({ groups: own }) => own[0]?.rows.map(({ label }) => label))).toEqual([groups[0]?.rows.map(({ label }) => label), groups[0]?.rows.map(({ label }) => label)]);
  expect(groups[0]?.rows.map(({ label, count }) => [label, count])).toEqual([["0 to 20", undefined], ["20 to 40", undefined], ["40 to 60", undefined], ["60 to 80", undefined], ["80 to 100", undefined]]);
  const fill = (side: 0 | 1, i: number) => contents[side].overlays.zones?.features[i]?.properties?.fill as string;
  expect(fill(0, 0)).toBe(fill(0, 1));
  expect(fill(1, 1)).not.toBe(fill(1, 0));
});

/** A map that moves and tells of it, as far as the link needs one. */
function moving() {
  const heard: Record<string, ((event: object) => void)[]> = {};
  const camera = { center: { lng: 0, lat: 0 }, zoom: 10 };
  const shown: ([number, number] | null)[] = [];
  const tell = (name: string, event: object = {}) => heard[name]?.forEach((listener) => listener(event));
  const moves = { count: 0 };
  const map = {
    on: (name: string, listener: (event: object) => void) => (heard[name] = [...(heard[name] ?? []), listener]),
    off: (name: string, listener: (event: object) => void) => (heard[name] = (heard[name] ?? []).filter((one) => one !== listener)),
    getCenter: () => camera.center,
    getZoom: () => camera.zoom,
    jumpTo: (next: Partial<typeof camera>) => {
      Object.assign(camera, next);
      moves.count++;
      tell("move");
    },
  };
  const twin = () => ({ show: (at: [number, number]) => shown.push(at), hide: () => shown.push(null) });
  return { scene: { map, twin } as unknown as Scene, camera, tell, shown, moves, heard };
}

it("two maps move as one, point at the same place, and part", () => {
  const [one, other] = [moving(), moving()];
  const part = linkMaps(one.scene, other.scene);
  Object.assign(one.camera, { center: { lng: 3, lat: 4 }, zoom: 12 });
  one.tell("move");
  expect(other.camera).toEqual({ center: { lng: 3, lat: 4 }, zoom: 12 });
  Object.assign(other.camera, { center: { lng: 5, lat: 4 }, zoom: 12 });
  other.tell("move");
  expect(one.camera.center).toEqual({ lng: 5, lat: 4 });
  one.tell("move");
  expect([one.moves.count, other.moves.count]).toEqual([1, 3]);
  one.tell("mousemove", { lngLat: { lng: 1, lat: 2 } });
  one.tell("mouseout");
  expect(other.shown).toEqual([[1, 2], null]);
  part();
  expect(other.shown).toEqual([[1, 2], null, null]);
  expect([...Object.values(one.heard), ...Object.values(other.heard)].flat()).toHaveLength(0);
});

it("an answer is compared with one of another sheet, and of another study", async () => {
  const sent: unknown[] = [];
  vi.stubGlobal("fetch", (address: string, init: RequestInit = {}) => {
    if (init.method === "PUT") sent.push((JSON.parse(init.body as string) as { blocks: QuestionBlock[] }).blocks.slice(-1)[0]?.inputs);
    const here = [{ id: "q1", process: "access", title: "answer 1", sheet: "main", sheet_title: "Who?" }, { id: "q9", process: "access", title: "answer 2", sheet: "second", sheet_title: "Again" }, { id: "q8", process: "route", title: "answer 3", sheet: "second", sheet_title: "Again" }];
    const there = { answers: [{ ...KEPT, id: "kept_4", title: "Of May" }], asked: [{ id: "p1", process: "access", title: "answer 1", sheet: "main", sheet_title: "Harbour" }] };
    const body = address === "/studies" ? { studies: [{ id: "ferrow", title: "Ferrow" }, { id: "quill", title: "Quillhaven" }, { id: "bad", title: "Bad", problem: "x" }] } : address === "/studies/quill/answers" ? there : address === "/studies/ferrow/answers" ? { answers: [KEPT], asked: here } : { ...sheetOf(walk), jobID: "j", status: "failed" };
    return Promise.resolve(new Response(JSON.stringify(body)));
  });
  const close = vi.fn();
  const { rerender } = render(<CompareWith overview={OVERVIEW} block={walk} made={undefined} close={close} />, { wrapper: frame() });
  fireEvent.click(screen.getByText("With an answer of another sheet or study"));
  fireEvent.click(await screen.findByText("answer 2 of Again"));
  await waitFor(() => expect(sent).toEqual([{ answers: [{ answer: "q9" }, { answer: "q1" }] }]));
  expect([screen.queryByText("answer 1 of Who?"), screen.queryByText("answer 3 of Again")]).toEqual([null, null]);
  rerender(<CompareWith overview={OVERVIEW} block={walk} made={undefined} close={close} />);
  const studies = screen.getByLabelText<HTMLSelectElement>("Study of the other answer");
  expect([...studies.options].map(({ text }) => text)).toEqual(["this study", "Quillhaven"]);
  fireEvent.change(studies, { target: { value: "quill" } });
  await screen.findByText("'Of May'");
  fireEvent.click(screen.getByText("answer 1 of Harbour"));
  await waitFor(() => expect(sent[1]).toEqual({ answers: [{ answer: "p1", study: "quill" }, { answer: "q1" }] }));
});
