import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Inputs, Slot } from "../api/inputs";
import type { Overview } from "../api/studies";
import { LAYERS, OVERVIEW, processOf, question } from "../testing/fixtures";
import { NamesEditor, RoomEditor, SharesEditor, SweepEditor, WindowEditor } from "./RunEditors";
import { numbersOf } from "./words";

const tours = { id: "tours", title: "Tours", role: "lines", count: 2, fields: { departs: "TEXT" }, geometry: "LINESTRING" };
const modes = [{ id: "walk", title: "Walk" }, { id: "cycle", title: "Cycle" }, { id: "drive", title: "Drive", problem: "no streets" }];
const overview = { ...OVERVIEW, layers: [...LAYERS, tours], modes } as unknown as Overview;
const process = processOf("simulate");
const put = vi.fn();
const props = (name: string, inputs: Inputs = {}, value: unknown = undefined) => ({
  block: question("q1", "simulate", { mode: "walk", places: { layer: "cool_rooms" }, ...inputs }), process, overview, name, slot: process["x-awl"].slots[name] as Slot, value, put, putAll: vi.fn(),
});
const take = () => fireEvent.click(screen.getByText("Take"));
const write = (label: string | RegExp, value: string) => fireEvent.change(screen.getByLabelText(label), { target: { value } });

beforeEach(() => put.mockReset());
afterEach(cleanup);

describe("a window", () => {
  it("is two times, the first before the second", () => {
    render(<WindowEditor {...props("start", {}, "13:00/14:00")} />);
    write("Last start", "12:00");
    expect(screen.getByText<HTMLButtonElement>("Take").disabled).toBe(true);
    write("Last start", "15:30");
    take();
    expect(put).toHaveBeenCalledWith("13:00/15:30");
  });
  it("can be a field of the trips instead", () => {
    render(<WindowEditor {...props("start", { trips: { layer: "tours" } }, "13:00/14:00")} />);
    fireEvent.click(screen.getByLabelText("at the times in departs"));
    expect(put).toHaveBeenCalledWith("departs");
  });
});

describe("room", () => {
  it("is a number, a field of the places, or any", () => {
    render(<RoomEditor {...props("capacity", {}, null)} />);
    write("Room of each place", "x");
    expect(screen.getByText<HTMLButtonElement>("Take").disabled).toBe(true);
    write("Room of each place", "50");
    take();
    expect(put).toHaveBeenLastCalledWith(50);
    fireEvent.click(screen.getByLabelText("as many as seats says"));
    expect(put).toHaveBeenLastCalledWith("seats");
  });
});

describe("shares of modes", () => {
  it("come to a hundred at most, of modes that can be used and are not that of the sentence", () => {
    render(<SharesEditor {...props("modes", {}, { cycle: 20 })} />);
    expect(screen.queryByLabelText(/Walk/)).toBeNull();
    expect(screen.queryByLabelText(/Drive/)).toBeNull();
    write("Share of Cycle, in percent", "120");
    expect(screen.getByText(/come to 100 % at most/)).toBeTruthy();
    write("Share of Cycle, in percent", "35");
    take();
    expect(put).toHaveBeenLastCalledWith({ cycle: 35 });
    write("Share of Cycle, in percent", "");
    take();
    expect(put).toHaveBeenLastCalledWith(undefined);
  });
});

describe("names of states", () => {
  it("are three that differ, or the usual ones", () => {
    render(<NamesEditor {...props("states")} />);
    write("Those who carry it", "Susceptible");
    expect(screen.getByText<HTMLButtonElement>("Take").disabled).toBe(true);
    write("Those who carry it", " telling ");
    take();
    expect(put).toHaveBeenLastCalledWith(["susceptible", "telling", "recovered"]);
    fireEvent.click(screen.getByText("The usual names"));
    expect(put).toHaveBeenLastCalledWith(undefined);
  });
});

describe("a sweep", () => {
  it("goes over one or two numbers that mean something here", () => {
    render(<SweepEditor {...props("sweep", { capacity: "seats" })} />);
    expect(screen.queryByText("% passed on")).toBeNull();
    fireEvent.click(screen.getByText("seats more in each"));
    fireEvent.click(screen.getByText("minutes of stay"));
    expect(screen.getByText<HTMLButtonElement>("people").disabled).toBe(true);
    write("Values: seats more in each", "0 to 60 by 20");
    write("Values: minutes of stay", "30 60");
    take();
    expect(put).toHaveBeenLastCalledWith({ more_seats: [0, 20, 40, 60], stay: [30, 60] });
    fireEvent.click(screen.getByText("No sweep"));
    expect(put).toHaveBeenLastCalledWith(undefined);
  });
  it("offers no seats where there is room for all", () => {
    render(<SweepEditor {...props("sweep")} />);
    expect(screen.queryByText("seats more in each")).toBeNull();
  });
});

describe("numbers in a text", () => {
  it.each([
    ["0, 20; 40", [0, 20, 40]], ["0 to 1 by 0.25", [0, 0.25, 0.5, 0.75, 1]], ["5", [5]], ["", null], ["1, x", null], ["1, 1", null],
    ["0 to 10 by 0", null], ["9 to 1 by 2", null], ["0 to 1000 by 1", null],
  ])("%s", (text, numbers) => expect(numbersOf(text, 60)).toEqual(numbers));
});
