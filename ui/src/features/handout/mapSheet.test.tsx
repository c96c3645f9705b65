import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { screenNow, useScreen } from "../../state/screen";
import { framed, question, sheetOf } from "../../testing/fixtures";
import { MapSheet } from "./MapSheet";
import { PaperView } from "./PaperView";
import { addressOf, scaleOf } from "./paper";
import { Report } from "./Report";
import { ReportView } from "./ReportView";

const KEPT = { id: "kept_1", process: "access", title: "Before", made: "2026-08-04T12:00:00Z" };
const frame = (...blocks: ReturnType<typeof question>[]) => framed([[["sheet", "ferrow", "main"], sheetOf(...blocks)], [["kept", "ferrow"], [KEPT]]]);
const PAPER = { answer: "q 1", paper: "A3", orientation: "portrait", colour: "grey", scale: 15000, title: "Who & where", legend: true, method: false } as const;

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

it("a sheet has an address with every word of it", () => {
  const words = new URL(addressOf("ferrow", PAPER, "pdf"), "http://here").searchParams;
  expect(Object.fromEntries(words)).toEqual({ format: "pdf", paper: "A3", orientation: "portrait", colour: "grey", scale: "15000", title: "Who & where", legend: "true", method: "false", dpi: "300" });
  expect(addressOf("ferrow", PAPER, "pdf")).toContain("/studies/ferrow/maps/q%201?");
  expect(new URL(addressOf("ferrow", { ...PAPER, scale: null, title: "" }, "png", 80), "http://here").search).not.toMatch(/scale|title/);
});

it("a scale is read as it is written", () => {
  expect(["15000", "1:15,000", "1 : 15.000", " 1:15 000 "].map(scaleOf)).toEqual([15000, 15000, 15000, 15000]);
  expect(["", "many", "12", "1:9000000000", "-5000"].map(scaleOf)).toEqual([null, null, null, null, null]);
});

it("a sheet is laid out in words, changed and put away", () => {
  screenNow().selectQuestion("q2");
  const page = render(<MapSheet study="ferrow" />, { wrapper: frame(question("q1", "access", {}), question("q2", "isochrone", {})) });
  fireEvent.click(screen.getByText("Lay out a map sheet"));
  expect(screenNow().paper).toMatchObject({ answer: "q2", paper: "A4", orientation: "landscape", scale: null });
  fireEvent.change(screen.getByLabelText("Size of the paper"), { target: { value: "A3" } });
  fireEvent.change(screen.getByLabelText("Answer on the map"), { target: { value: "kept_1" } });
  fireEvent.change(screen.getByLabelText("Legend"), { target: { value: "no" } });
  fireEvent.change(screen.getByLabelText("Inks"), { target: { value: "grey" } });
  const scale = screen.getByLabelText("Scale");
  fireEvent.change(scale, { target: { value: "1:20,000" } });
  fireEvent.blur(scale);
  expect(screenNow().paper).toMatchObject({ answer: "kept_1", paper: "A3", legend: false, colour: "grey", scale: 20000 });
  expect(screen.getByText<HTMLAnchorElement>("PDF").href).toContain("/studies/ferrow/maps/kept_1?format=pdf&paper=A3");
  fireEvent.click(screen.getByText("Put away"));
  expect(screenNow().paper).toBeNull();
  fireEvent.click(screen.getByText("Lay out a map sheet"));
  page.unmount();
  expect(screenNow().paper).toBeNull();
});

it("without an answer there is nothing to lay out", () => {
  render(<MapSheet study="ferrow" />, { wrapper: framed([[["sheet", "ferrow", "main"], sheetOf()], [["kept", "ferrow"], []]]) });
  expect(screen.getByText(/No answer yet/)).toBeTruthy();
});

it("the sheet is shown as the server draws it, and a failure in its place", async () => {
  const asked: string[] = [];
  let fails = false;
  URL.createObjectURL = () => "blob:paper";
  URL.revokeObjectURL = () => undefined;
  vi.stubGlobal("fetch", (address: string) => {
    asked.push(address);
    const problem = new Response(JSON.stringify({ title: "No", status: 400, detail: "The scale is none." }), { status: 400, headers: { "Content-Type": "application/problem+json" } });
    return Promise.resolve(fails ? problem : new Response("png"));
  });
  const page = render(<PaperView study="ferrow" version="1" paper={PAPER} />, { wrapper: framed() });
  expect(screen.getByRole("status").textContent).toBe("Drawing the sheet");
  expect((await screen.findByRole<HTMLImageElement>("img")).src).toBe("blob:paper");
  expect(asked[0]).toContain("dpi=80");
  fails = true;
  page.rerender(<PaperView study="ferrow" version="2" paper={PAPER} />);
  await waitFor(() => expect(screen.getByRole("alert").textContent).toBe("The scale is none."));
});

it("the report leaves out what is not ticked, is made as a job, and shown as a page that runs nothing", async () => {
  const prose = { id: "n1", kind: "prose" as const, text: "A line of prose that is longer than what tells which one it is" };
  const sheet = { ...sheetOf(question("q1", "access", {})), blocks: [prose, question("q1", "access", {})] };
  const asked: [string, unknown][] = [];
  let status = "running";
  let fault: object = {};
  vi.stubGlobal("fetch", (address: string, init: RequestInit = {}) => {
    if (init.method) asked.push([`${init.method} ${address}`, init.body ? JSON.parse(init.body as string) : null]);
    return Promise.resolve(new Response(JSON.stringify({ jobID: `j${asked.length}`, status: init.method ? "accepted" : status, message: "Question 1", progress: 40, ...fault })));
  });
  const Both = () => {
    const { leftOut } = useScreen("leftOut");
    return <><Report study="ferrow" />{leftOut && <ReportView study="ferrow" leftOut={leftOut} />}</>;
  };
  render(<Both />, { wrapper: framed([[["sheet", "ferrow", "main"], sheet]]) });
  fireEvent.click(screen.getByText("Look at the report"));
  expect(screenNow().leftOut).toEqual([]);
  await waitFor(() => expect(screen.getByRole("status").textContent).toContain("Question 1"));
  expect(screen.queryByText("HTML")).toBeNull();
  fireEvent.click(screen.getByLabelText(/^A line of prose/));
  expect(screenNow().leftOut).toEqual(["n1"]);
  status = "successful";
  const page = await screen.findByTitle("The report");
  const posts = asked.filter(([what]) => what.startsWith("POST"));
  expect(posts.map(([, body]) => body)).toEqual([{ sheet: "main", without: [] }, { sheet: "main", without: ["n1"] }]);
  expect([page.getAttribute("src"), page.getAttribute("sandbox")]).toEqual([screen.getByText("HTML").getAttribute("href"), ""]);
  expect(page.getAttribute("src")).toMatch(/^\/studies\/ferrow\/reports\/j\d$/);
  expect(screen.queryByRole("status")).toBeNull();
  expect(asked.some(([what]) => what.startsWith("DELETE /jobs/"))).toBe(true);
  status = "failed";
  fault = { problem: { title: "x", detail: "The sheet is gone." } };
  fireEvent.click(screen.getByLabelText(/^A line of prose/));
  await waitFor(() => expect(screen.getByRole("alert").textContent).toBe("The sheet is gone."));
  fireEvent.click(screen.getByText("Put away"));
  expect(screenNow().leftOut).toBeNull();
});
