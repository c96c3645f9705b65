import { fireEvent, render, screen, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Blank, Form, SheetBody } from "../../api/studies";
import { screenStore } from "../../state/screen";
import { framed, OVERVIEW, processOf, PROCESSES, question, sheetOf } from "../../testing/fixtures";
import { FormEditor } from "./FormEditor";
import { blankOf, canBeBlank, everythingOf, freeName, freshForm, partsOf, shownOf, withBlank, withoutBlank, withoutForm, withShown, withWordAsked } from "./forms";

const slots = processOf("alongside")["x-awl"].slots;
const block = question("b1", "alongside", { mode: "drive", events: { type: "FeatureCollection", features: [{ type: "Feature", properties: { name: "Mash Drive 5" }, geometry: { type: "Point", coordinates: [1, 2] } }] }, distance: 500, layers: [{ layer: "zones" }] });
const slot = (name: string) => slots[name] ?? (() => { throw new Error(name); })();

describe("a form", () => {
  const form = freshForm("Who is hit? Äh!", [block], []);
  it("has an address of small letters that no other has", () => {
    expect(form.id).toBe("who_is_hit_a_h");
    expect(freeName("Burst", ["burst", "burst_2"], "form")).toBe("burst_3");
    expect(freeName("???", [], "form")).toBe("form");
    expect(freeName("x".repeat(80), [], "form")).toHaveLength(37);
  });
  it("asks for a word, and no longer; a blank that another form asks for stays", () => {
    const one = withWordAsked({ blanks: [], forms: [form] }, form, "b1", "distance", slot("distance"));
    const [asked] = one.forms as [Form];
    expect([asked.asks, one.blanks[0]?.label, one.blanks[0]?.empty]).toEqual([["distance"], "Distance", false]);
    expect(withWordAsked(one, asked, "b1", "events", slot("events")).blanks[1]?.empty).toBe(true);
    expect(withWordAsked(one, asked, "b1", "distance", slot("distance")).blanks).toEqual([]);
    const other = { ...asked, id: "second" };
    const kept = withoutBlank({ ...one, forms: [asked, other] }, asked, "distance");
    expect([kept.blanks.length, kept.forms[0]?.asks, kept.forms[1]?.asks]).toEqual([1, [], ["distance"]]);
    expect(withoutForm({ blanks: one.blanks, forms: [asked, other] }, "second").blanks).toHaveLength(1);
    expect(withoutForm(one, asked.id)).toEqual({ blanks: [], forms: [] });
  });
  it("shows what its author ticks, in the order of the sheet", () => {
    const order = ["b1", "b2"];
    const two = withShown(withShown(form, "b2", everythingOf("b2"), order), "b1", { ...everythingOf("b1"), map: false }, order);
    expect(two.shows.map(({ question: id }) => id)).toEqual(order);
    expect(shownOf(two, "b1")?.map).toBe(false);
    expect(shownOf(withShown(two, "b1", null, order), "b1")).toBeNull();
  });
  it("can ask for no word that is too much for one input", () => {
    expect([canBeBlank(slot("layers")), canBeBlank(slot("distance"))]).toEqual([false, true]);
  });
  it("knows the parts of an answer, and those that a question can have", () => {
    expect(partsOf(processOf("alongside"), null)).toContain("strip");
    expect(partsOf(processOf("alongside"), null)).not.toContain("doubts");
  });
  it("keeps a blank by its name", () => {
    const blank: Blank = { name: "a", question: "b1", input: "distance", label: "", help: "", empty: false, several: false };
    expect(withBlank([blank], { ...blank, label: "How far" })[0]?.label).toBe("How far");
    expect(blankOf([blank], "b1", "distance")).toBe(blank);
  });
});

describe("the editor of a form", () => {
  const saved: SheetBody[] = [];
  beforeEach(() => {
    saved.length = 0;
    screenStore.setState({ study: "ferrow", stage: "handout", sheet: "main", form: null, paper: null, leftOut: null });
    vi.stubGlobal("fetch", (address: string, init: RequestInit = {}) => {
      const body = init.body ? (JSON.parse(init.body as string) as SheetBody) : null;
      if (body) saved.push(body);
      const reply = address.endsWith("/fit") ? { unfit: [{ text: "The study has no layer 'parcels'", question: 1, block: "b1" }] } : { ...sheetOf(block), ...body, changed: "2026-08-05T12:00:00Z" };
      return Promise.resolve(new Response(JSON.stringify(reply)));
    });
    render(<FormEditor overview={OVERVIEW} />, { wrapper: framed([[["sheet", "ferrow", "main"], sheetOf(block)], [["processes", "ferrow"], PROCESSES], [["answer", "ferrow", "b1"], null]]) });
  });
  const last = () => saved[saved.length - 1] as SheetBody;

  it("makes one of the sheet, with a word that is clicked as its blank, and says what does not fit", async () => {
    fireEvent.click(screen.getByText("Make a form"));
    await screen.findByText("Words a colleague fills in");
    expect((await screen.findByText("This form no longer fits:")).parentElement?.textContent).toContain("Question 1: The study has no layer 'parcels'");
    fireEvent.click(screen.getByText("500 m"));
    await waitFor(() => expect(last().blanks).toHaveLength(1));
    await waitFor(() => expect(screen.getByText("500 m").getAttribute("aria-pressed")).toBe("true"));
    const label = screen.getByLabelText("Label of distance");
    fireEvent.change(label, { target: { value: "How far" } });
    fireEvent.blur(label);
    await waitFor(() => expect(last().blanks[0]?.label).toBe("How far"));
    const most = screen.getByLabelText("Most of distance");
    fireEvent.change(most, { target: { value: "800" } });
    fireEvent.blur(most);
    await waitFor(() => expect(last().blanks[0]?.most).toBe(800));
    expect(screen.queryByRole("button", { name: "zones" })).toBeNull();
    fireEvent.click(screen.getByLabelText("begins empty"));
    await waitFor(() => expect(last().blanks[0]?.empty).toBe(true));
    fireEvent.click(screen.getByLabelText("table strip"));
    await waitFor(() => expect(last().forms[0]?.shows[0]?.tables).toEqual(["strip"]));
    fireEvent.click(screen.getByLabelText("CSV"));
    await waitFor(() => expect(last().forms[0]?.shows[0]?.files).toEqual(["xlsx", "csv"]));
    fireEvent.click(screen.getByText("Remove the form"));
    fireEvent.click(screen.getByText("Remove it"));
    await waitFor(() => expect(last()).toMatchObject({ forms: [], blanks: [] }));
  });
});
