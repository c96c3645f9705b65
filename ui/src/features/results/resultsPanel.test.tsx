import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeAll, describe, expect, it } from "vitest";

import { screenStore } from "../../state/screen";
import { answerOf, framed, OVERVIEW, question, setTokens, sheetOf, TOKENS } from "../../testing/fixtures";
import type { Results } from "../../api/client";
import AnswerChart from "./AnswerChart";
import type { Row } from "./grid";
import { HeatTable } from "./HeatTable";
import { ResultsPanel } from "./ResultsPanel";

const pair = (origin: string, destination: string, minutes: number) => ({ origin, destination, duration_s: minutes * 60, distance_m: minutes * 80, ":row": 0 }) as unknown as Row;
const PIVOT = { rows: "origin", columns: "destination", cells: "duration_s", per: 60 };

beforeAll(async () => {
  await Promise.all([import("./AnswerChart"), import("./AnswerTable")]); // loaded when first needed
  setTokens(TOKENS);
  globalThis.ResizeObserver ??= class { observe() {} unobserve() {} disconnect() {} } as unknown as typeof ResizeObserver;
});
afterEach(cleanup);

describe("a table of minutes", () => {
  it("has starts down, ends across, and a dash where there is no way", () => {
    render(<HeatTable pivot={PIVOT} rows={[pair("A", "X", 5), pair("A", "Y", 40.04), pair("B", "Y", 10)]} />);
    const rows = screen.getAllByRole("row").map((row) => [...row.children].map(({ textContent }) => textContent));
    expect(rows).toEqual([["min", "X", "Y"], ["A", "5.0", "40.0"], ["B", "–", "10.0"]]);
  });
  it("is darker where the way is shorter", () => {
    render(<HeatTable pivot={PIVOT} rows={[pair("A", "X", 2), pair("A", "Y", 40)]} />);
    const [near, far] = screen.getAllByRole("cell").map(({ style }) => style.background);
    expect(near).not.toBe(far);
  });
});

describe("charts of an answer", () => {
  const bars = (name: string, label: string) => ({ kind: "bars", name, title: `${name}, in full`, x: { label: "hour", values: ["8:00"] }, series: [{ label, values: [3] }] });
  it("says what bars measure, in the title or, where a switch names the chart, above them", () => {
    const one = bars("By hour", "Mean time of a pair, min");
    const { rerender } = render(<AnswerChart result={{ view: { charts: [one] } } as unknown as Results} />);
    expect(screen.getByRole("heading").textContent).toBe("By hour, in full");
    rerender(<AnswerChart result={{ view: { charts: [one, bars("Spread", "Pairs")] } } as unknown as Results} />);
    expect(screen.queryByRole("heading")).toBeNull();
    expect(screen.getByText("Mean time of a pair, min")).toBeTruthy();
  });
});

describe("the results panel", () => {
  const rows = Array.from({ length: 20 }, (_, i) => pair(`Zone ${i}`, "Baths", i + 1));
  const block = { ...question("q1", "matrix", {}), title: "From home" };
  const table = { part: "rows", pivot: PIVOT, columns: [{ field: "origin", title: "From", unit: "", digits: null }] };
  const view = { tables: [table], files: ["csv", "parquet", "omx"].map((format) => ({ format, part: "rows" })) };
  const show = () => {
    screenStore.setState({ study: "ferrow", stage: "sheet", question: "q1", street: null, notice: null });
    const known: [unknown[], unknown][] = [[["answer", "ferrow", "q1"], answerOf(block, { title: "Walk", rows, view })], [["sheet", "ferrow", "main"], sheetOf(block)]];
    render(<ResultsPanel overview={OVERVIEW} />, { wrapper: framed(known) });
  };
  it("bears the name of the question, and gives its formats away", () => {
    show();
    expect(screen.getByRole("heading", { name: "From home" })).toBeTruthy();
    const links = screen.getAllByRole("link").map((link) => [link.textContent, link.getAttribute("href")]);
    expect(links).toEqual(["csv", "parquet", "omx"].map((format) => [{ csv: "CSV", parquet: "Parquet", omx: "OMX" }[format], `/studies/ferrow/export/answers/q1/rows?format=${format}`]));
  });
  it("finds rows by any of their fields", () => {
    show();
    expect(screen.getByText("20 rows")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Find a row"), { target: { value: "zone 1" } });
    expect(screen.getByText("11 rows")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Find a row"), { target: { value: "zone 19" } });
    expect(screen.getByText("1 row")).toBeTruthy();
  });
  it("shows minutes as a table and back", async () => {
    show();
    fireEvent.click(screen.getByText("As a table of minutes"));
    expect(screen.getByLabelText("Minutes from each start to each end")).toBeTruthy();
    fireEvent.click(screen.getByText("As rows"));
    await waitFor(() => expect(screen.queryByLabelText("Minutes from each start to each end")).toBeNull());
  });
});
