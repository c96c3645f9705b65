import { fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterAll, beforeEach, expect, it, vi } from "vitest";
import { addressOf, followAddress, go, screenNow, screenStore } from "../../state/screen";
import { framed, OVERVIEW, question, sheetOf } from "../../testing/fixtures";
import { Sheets } from "./Sheets";

const LISTED = [
  { id: "main", title: "Who?", questions: 1, forms: [], changed: "" },
  { id: "second", title: "Second try", questions: 2, forms: [{ id: "f", title: "F" }], changed: "" },
];
const sent: [string, string, unknown][] = [];
let reply: unknown = {};

afterAll(() => {
  location.hash = "";
});
beforeEach(() => {
  sent.length = 0;
  reply = { id: "made", unfit: [] };
  location.hash = "";
  screenStore.setState({ study: "ferrow", stage: "sheet", sheet: "second", question: "q9" });
  vi.stubGlobal("fetch", (address: string, init: RequestInit = {}) => {
    sent.push([init.method ?? "GET", address, init.body ? (JSON.parse(init.body as string) as unknown) : null]);
    return Promise.resolve(new Response(JSON.stringify(init.method ? reply : { sheets: LISTED })));
  });
  const second = { ...sheetOf(question("q1", "access", {})), id: "second", title: "Second try" };
  render(<Sheets overview={OVERVIEW} />, { wrapper: framed([[["sheets", "ferrow"], LISTED], [["sheet", "ferrow", "second"], second]]) });
  fireEvent.click(screen.getByText("sheet 2 of 2"));
});

it("the sheets of a study are listed, and one of them is opened at its own address", () => {
  expect(screen.getAllByRole("listitem").map((item) => item.textContent)).toEqual(["Who? 1 question", "Second try 2 questions, 1 form"]);
  fireEvent.click(screen.getByText("Who?"));
  expect(location.hash).toBe("#/ferrow/sheet");
  followAddress();
  expect([screenNow().sheet, screenNow().question]).toEqual(["main", null]);
});

it("a stage keeps the sheet that is open", () => {
  expect(addressOf("ferrow", "handout", "second")).toBe("/ferrow/handout/second");
  go("ferrow", "handout");
  expect(location.hash).toBe("#/ferrow/handout/second");
  go("other", "sheet");
  expect(location.hash).toBe("#/other/sheet");
});

it("a sheet is made, copied, and removed once that is said twice", async () => {
  fireEvent.click(screen.getByText("New sheet"));
  await waitFor(() => expect(location.hash).toBe("#/ferrow/sheet/made"));
  fireEvent.click(screen.getByText("sheet 2 of 2"));
  fireEvent.click(screen.getByText("Copy this one"));
  await waitFor(() => expect(sent).toContainEqual(["POST", "/studies/ferrow/sheets", { copy_of: "second", title: "Second try, copy" }]));
  fireEvent.click(await screen.findByText("sheet 2 of 2"));
  fireEvent.click(screen.getByText("Remove this one"));
  expect(sent.some(([method]) => method === "DELETE")).toBe(false);
  fireEvent.click(screen.getByText("Remove it"));
  await waitFor(() => expect(sent).toContainEqual(["DELETE", "/studies/ferrow/sheets/second", {}]));
});

it("a sheet file is taken in with what of it does not fit, and what is none is refused by its name", async () => {
  reply = { id: "made", unfit: [{ text: "The study has no layer 'parcels'", question: 1 }] };
  const choose = (text: string) => fireEvent.change(screen.getByTestId("sheet-file"), { target: { files: [{ name: "heat.json", text: () => Promise.resolve(text) }] } });
  choose('{"awl_sheet": 1}');
  expect(await screen.findByText("Not all of heat.json fits this study:")).toBeTruthy();
  expect(screen.getByText("Question 1: The study has no layer 'parcels'")).toBeTruthy();
  fireEvent.click(screen.getByText("sheet 2 of 2"));
  choose("{");
  await screen.findByText(/heat.json is no sheet file/);
});
