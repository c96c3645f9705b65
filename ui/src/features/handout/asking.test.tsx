import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { framed, question, sheetOf } from "../../testing/fixtures";
import { Addresses } from "./Addresses";
import { askedAs } from "./asking";

const INPUTS = { mode: "walk", places: { layer: "cool_rooms", where: "name = 'O''Hara' AND kind <> \"x\"" }, limits: [5, 10], at: null, snap: undefined };
const ASKED = { study: "ferrow", process: "isochrone", inputs: INPUTS };
const HERE = "http://here:8787";
const JSON_GIVEN = { inputs: { mode: "walk", places: INPUTS.places, limits: [5, 10] } };

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("a question for other programs", () => {
  it("holds for a shell what is given, whatever marks stand in it", () => {
    const text = askedAs("curl", ASKED, HERE);
    expect(text).toContain("'http://here:8787/studies/ferrow/processes/isochrone/execution'");
    const body = /-d '([\s\S]*)'$/.exec(text)?.[1]?.replaceAll("'\\''", "'") ?? "";
    expect(JSON.parse(body)).toEqual(JSON_GIVEN);
  });

  it("holds for Python and R the same JSON in raw strings that nothing ends early", () => {
    const hostile = { ...ASKED, inputs: { ...INPUTS, places: { layer: 'a)"b' } } };
    const python = /r"""([\s\S]*?)"""/.exec(askedAs("python", ASKED, HERE))?.[1] ?? "";
    expect(JSON.parse(python)).toEqual(JSON_GIVEN);
    const r = askedAs("r", hostile, HERE);
    const [, dashes = "", body = ""] = /r"(-*)\(([\s\S]*)\)\1"\n/.exec(r) ?? [];
    expect(body).not.toContain(`)${dashes}"`);
    expect((JSON.parse(body) as { inputs: object }).inputs).toMatchObject({ places: { layer: 'a)"b' } });
  });

  it("is a command with a setting for each input", () => {
    const text = askedAs("command", ASKED, HERE);
    expect(text.split(" \\\n  ")).toEqual([
      "awl ask isochrone --study ferrow.gpkg",
      "--set 'mode=walk'",
      `--set 'places=${JSON.stringify(INPUTS.places).replaceAll("'", "'\\''")}'`,
      "--set 'limits=[5,10]'",
    ]);
  });
});

it("the text of a question is chosen and copied", async () => {
  const copied: string[] = [];
  vi.stubGlobal("navigator", { ...navigator, clipboard: { writeText: (text: string) => Promise.resolve(void copied.push(text)) } });
  render(<Addresses study="ferrow" />, { wrapper: framed([[["sheet", "ferrow", "main"], sheetOf(question("q1", "access", { limits: [5] }), question("q2", "route", {}))]]) });
  fireEvent.change(screen.getByLabelText("Question for other programs"), { target: { value: "q2" } });
  fireEvent.change(screen.getByLabelText("Program"), { target: { value: "command" } });
  expect(screen.getByLabelText("The question as text").textContent).toBe("awl ask route --study ferrow.gpkg");
  fireEvent.click(screen.getByText("Copy the text"));
  await waitFor(() => expect(screen.getByText("Copied")).toBeTruthy());
  expect(copied).toEqual(["awl ask route --study ferrow.gpkg"]);
  fireEvent.change(screen.getByLabelText("Question for other programs"), { target: { value: "q1" } });
  expect(screen.getByText("Copy the text")).toBeTruthy();
});
