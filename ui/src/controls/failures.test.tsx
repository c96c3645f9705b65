/** A request that fails says so where its result would have been, and can be tried again. */
import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, test } from "vitest";
import { ProblemError } from "../api/client";
import { FailedActs, Failures, type Panel } from "./Failures";

afterEach(cleanup);

const problem = new ProblemError({ type: "", title: "t", status: 500, detail: "The disk is full." });

function Wanting({ panel, answers }: { panel: Panel | null; answers: (() => Promise<string>)[] }) {
  const { data } = useQuery({
    queryKey: ["wanted", panel],
    queryFn: () => (answers.shift() ?? (() => Promise.reject(problem)))(),
    ...(panel && { meta: { panel, what: "The streets" } }),
  });
  return <p>{data ?? "nothing yet"}</p>;
}

function show(panel: Panel | null, answers: (() => Promise<string>)[]) {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={queries}>
      <div aria-label="page"><Failures panel="page" /></div>
      <div aria-label="map"><Failures panel="map" /></div>
      <Wanting panel={panel} answers={answers} />
    </QueryClientProvider>,
  );
}

test("a failure of the map shows at the map and goes when it is tried again", async () => {
  show("map", [() => Promise.reject(problem), () => Promise.resolve("streets")]);
  const told = await screen.findByRole("alert");
  expect(told.textContent).toContain("The streets could not be loaded. The disk is full.");
  expect(screen.getByLabelText("map").contains(told)).toBe(true);
  fireEvent.click(screen.getByText("Try again"));
  await screen.findByText("streets");
  expect(screen.queryByRole("alert")).toBeNull();
});

test("a failure that names no panel shows on the page; one that is told by its own component shows in neither", async () => {
  show(null, []);
  const told = await screen.findByRole("alert");
  expect(screen.getByLabelText("page").contains(told)).toBe(true);
});

test("an act that fails unheard is told", async () => {
  render(<FailedActs />);
  const event = new Event("unhandledrejection", { cancelable: true });
  Object.assign(event, { reason: problem });
  fireEvent(window, event);
  expect((await screen.findByRole("alert")).textContent).toContain("The disk is full.");
  expect(event.defaultPrevented).toBe(true);
  fireEvent.click(screen.getByText("Dismiss"));
  expect(screen.queryByRole("alert")).toBeNull();
});
