import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { screenNow, screenStore } from "../../state/screen";
import { answerOf, framed, question } from "../../testing/fixtures";
import { TimeRuler } from "./TimeRuler";

const block = question("q1", "simulate", {});
const moving = { begin: 780, end: 840, row: "people", inks: { travelling: "token:b1" } };
const playback = {
  places: [{ name: "Baths", at: [0, 0], room: 40, inside: [0, 12, 30], turned_away: [0, 0, 2] }], minutes: [780, 810, 840],
  counts: { "not started": [50, 10, 0], travelling: [0, 25, 5], waiting: [0, 3, 0], inside: [0, 12, 30], left: [0, 0, 15], "gave up": [0, 0, 0], "no way": [0, 0, 0] },
};
const shown = (fresh = true) => {
  const answer = answerOf(block, { view: { map: { moving } } }, fresh);
  render(<TimeRuler study="ferrow" />, { wrapper: framed([[["answer", "ferrow", "q1"], answer], [["playback", "ferrow", "q1", answer.made], playback]]) });
};
const clock = () => screen.getByLabelText("Time of day").textContent;

beforeEach(() => screenStore.setState({ stage: "sheet", question: "q1", moment: null, running: false, loops: false }));
afterEach(cleanup);

describe("the ruler of time", () => {
  it("begins at the begin, and steps minute by minute within its ends", () => {
    shown();
    expect(clock()).toBe("13:00");
    expect(screen.getByLabelText<HTMLButtonElement>("A minute back").disabled).toBe(true);
    fireEvent.click(screen.getByLabelText("A minute on"));
    expect(clock()).toBe("13:01");
  });
  it("tells what everybody is doing at the last moment that is known", () => {
    screenStore.setState({ moment: 815 });
    shown();
    expect(screen.getByText("Travelling").querySelector("b")?.textContent).toBe("25");
    expect(screen.getByText("Waiting").textContent).toBe("Waiting 3");
    expect(screen.queryByText("Gave up")).toBeNull();
  });
  it("plays and pauses by its button and the space bar, but not while a field has the focus", () => {
    shown();
    fireEvent.click(screen.getByLabelText("Play"));
    expect(screenNow().running).toBe(true);
    fireEvent.keyDown(document.body, { key: " " });
    expect(screenNow().running).toBe(false);
    const field = document.createElement("input");
    document.body.append(field);
    fireEvent.keyDown(field, { key: " " });
    expect(screenNow().running).toBe(false);
    field.remove();
  });
  it("is moved by hand, which pauses it", () => {
    screenStore.setState({ running: true });
    shown();
    fireEvent.change(screen.getByLabelText("Time that is shown"), { target: { value: 830 } });
    expect([screenNow().moment, screenNow().running]).toEqual([830, false]);
    expect(screen.getByText<HTMLAnchorElement>("Still").href).toContain("/maps/q1?format=png&moment=13:50");
  });
  it("goes over and over where that is wanted", () => {
    shown();
    fireEvent.click(screen.getByText("once"));
    expect(screenNow().loops).toBe(true);
    fireEvent.change(screen.getByLabelText("Minutes of the day in a second"), { target: { value: "5" } });
    expect(screenNow().pace).toBe(5);
  });
  it("is not there where nothing moves, or no longer as it was answered", () => {
    shown(false);
    expect(screen.queryByLabelText("Time of day")).toBeNull();
  });
});
