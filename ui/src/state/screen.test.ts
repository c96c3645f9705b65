import { renderHook, act } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import type { Street } from "../api/studies";
import { followAddress, screenNow, screenStore, useScreen } from "./screen";

const reset = screenNow();
beforeEach(() => screenStore.setState({ ...reset, study: "ferrow", stage: "sheet" }));
const street = { link_id: 7 } as Street;

describe("the screen", () => {
  it("drops what belongs to the former question when another is selected", () => {
    const { selectQuestion, edit, pick, selectRow, showMinute, gradeBy } = screenNow();
    selectQuestion("q1");
    selectRow("Quay 1");
    edit("limits");
    pick({ question: "q1", slot: "places" });
    showMinute(7);
    gradeBy({ field: "seats", classing: "quantile", own: null });
    selectQuestion("q2");
    expect(screenNow()).toMatchObject({ question: "q2", row: null, editing: null, picking: null, minute: null, gradeLook: { field: null, classing: "equal" } });
  });
  it("keeps the editor and the classes of the question that is selected again", () => {
    screenNow().selectQuestion("q1");
    screenNow().gradeBy({ field: "seats", classing: "quantile", own: null });
    screenNow().edit("limits");
    screenNow().selectQuestion("q1");
    expect(screenNow()).toMatchObject({ editing: { question: "q1", slot: "limits" }, gradeLook: { field: "seats" } });
  });
  it("shows a row or a street, not both", () => {
    screenNow().showStreet(street);
    screenNow().selectRow("Quay 1");
    expect(screenNow()).toMatchObject({ row: "Quay 1", street: null });
  });
  it("ends all that waits for the map at once", () => {
    const { selectQuestion, edit, pick, measure, draw, cancel } = screenNow();
    selectQuestion("q1");
    edit("places");
    pick({ question: "q1", slot: "places" });
    measure();
    draw({ kind: "box", done: () => undefined });
    cancel();
    expect(screenNow()).toMatchObject({ editing: null, picking: null, measuring: null, drawing: null });
  });
  it("forgets a street of a mode that is left", () => {
    screenNow().showStreet(street);
    screenNow().selectMode("drive");
    expect(screenNow()).toMatchObject({ mode: "drive", street: null });
  });
  it("lets nothing of a study outlive it, but keeps the theme", () => {
    const { selectQuestion, lookAtLayer, choose, setRun, flipTheme } = screenNow();
    flipTheme();
    selectQuestion("q1");
    setRun("q1", { job: "j1" });
    lookAtLayer("zones");
    choose([1, 2]);
    location.hash = "#/other/streets";
    followAddress();
    expect(screenNow()).toMatchObject({ study: "other", stage: "streets", question: null, runs: {}, layer: null, chosen: [], theme: "dark" });
  });
  it("draws nothing again but what shows the part that changed", () => {
    let drawn = 0;
    renderHook(() => {
      drawn++;
      return useScreen("row", "selectRow");
    });
    act(() => screenNow().drag({ question: "q1", inputs: {} }));
    act(() => screenNow().setOpacity(0.4));
    expect(drawn).toBe(1);
    act(() => screenNow().selectRow("Quay 1"));
    expect(drawn).toBe(2);
  });
  it("says what was done only as long as one stays where it was done", () => {
    location.hash = "/ferrow/streets";
    followAddress();
    screenNow().tell("The street is drawn.");
    expect(screenNow().notice).toBe("The street is drawn.");
    location.hash = "/ferrow/sheet";
    followAddress();
    expect(screenNow().notice).toBeNull();
  });
  it("takes a second click at one place, as of those who end by a double click, for no corner", () => {
    screenNow().beginSketch("street");
    for (const at of [[0, 0], [1, 1], [1, 1], [0, 0]] as [number, number][]) screenNow().addCorner({ at, on: "free" });
    expect(screenNow().sketch?.corners.map(({ at }) => at)).toEqual([[0, 0], [1, 1], [0, 0]]);
  });
});
