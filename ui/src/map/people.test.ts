import { describe, expect, it } from "vitest";
import type { Playback } from "../api/playback";
import { carriesAt, doingAt, NUMBERS, People } from "./people";

const MINUTE = 60_000;
/** Two people on a street of two segments: one walks along it and comes in, one walks back over it, waits, and gives up. */
function made(more: Partial<Playback> = {}): Playback {
  return {
    people: 2, modes: ["Walk"], states: [], recovery: 0, minutes: [0, 10], places: [],
    counts: { "not started": [], travelling: [], waiting: [], inside: [], left: [], "gave up": [], "no way": [] },
    shapes: { start: Uint32Array.of(0, 3), lon: Float64Array.of(10, 10.001, 10.001), lat: Float64Array.of(0, 0, 0.001), metres: Float32Array.of(0, 100, 200) },
    ways: {
      begins: Uint32Array.of(0, 1, 2), shape: Int32Array.of(0, 1), from: Float32Array.of(0, 1), to: Float32Array.of(1, 0),
      enters: Int32Array.of(MINUTE, MINUTE), leaves: Int32Array.of(3 * MINUTE, 3 * MINUTE),
    },
    who: {
      mode: new Uint8Array(2), departs: Int32Array.of(MINUTE, MINUTE), arrives: Int32Array.of(3 * MINUTE, 3 * MINUTE),
      enters: Int32Array.of(3 * MINUTE, -1), ends: Int32Array.of(5 * MINUTE, 4 * MINUTE), since: Int32Array.of(-1, 2 * MINUTE),
    },
    ...more,
  };
}

const at = (people: People, person: number, ms: number) => {
  const row = new Float32Array(NUMBERS);
  return people.place(person, ms, row, 0) ? [...row].slice(0, 3) : null;
};

describe("people on the map", () => {
  const people = new People(made());
  it("are where their way has brought them, by time", () => {
    expect(at(people, 0, 0)).toBeNull();
    const half = at(people, 0, 2 * MINUTE) as number[];
    // Half the length is the corner of the street, a thousandth of a degree to the east.
    expect(half[0]).toBeCloseTo(111.3, 0);
    expect(half[1]).toBeCloseTo(0, 0);
    const back = at(people, 1, 2.5 * MINUTE) as number[];
    expect(back[0]).toBeCloseTo(111.3 * 0.5, 0);
  });
  it("face the way they go", () => {
    expect(at(people, 0, 1.5 * MINUTE)?.[2]).toBeCloseTo(0);
    expect(at(people, 0, 2.5 * MINUTE)?.[2]).toBeCloseTo(-Math.PI / 2);
    expect(Math.cos(at(people, 1, 2.5 * MINUTE)?.[2] ?? 0)).toBeCloseTo(-1);
  });
  it("stay where they arrived, and time may go back", () => {
    const there = at(people, 0, 9 * MINUTE);
    expect(there).toEqual(at(people, 0, 3 * MINUTE));
    expect(at(people, 0, 1.5 * MINUTE)?.[0]).toBeCloseTo(55.6, 0);
  });
  it("do what the server counts", () => {
    const playback = made();
    expect([0, 2, 4, 6].map((minute) => doingAt(playback, 0, minute * MINUTE))).toEqual(["not started", "travelling", "inside", "left"]);
    expect([2, 3.5, 4].map((minute) => doingAt(playback, 1, minute * MINUTE))).toEqual(["travelling", "waiting", "gave up"]);
    playback.who.departs[0] = -1;
    expect(doingAt(playback, 0, MINUTE)).toBe("no way");
  });
  it("are seen in the ink of their state, those who gave up for five minutes", () => {
    const into = new Float32Array(2 * NUMBERS);
    const inks = { travelling: 0, waiting: 1, "gave up": 2 };
    expect(people.fill(2 * MINUTE, inks, into)).toBe(2);
    expect(people.fill(3.5 * MINUTE, inks, into)).toBe(1);
    expect(into[3]).toBe(1);
    expect(people.fill(8 * MINUTE, inks, into)).toBe(1);
    expect(into[3]).toBe(2);
    expect(people.fill(10 * MINUTE, inks, into)).toBe(0);
    expect(people.fill(2 * MINUTE, { waiting: 0 }, into)).toBe(0);
  });
  it("carry what is passed on from when they took it until they recover", () => {
    const carried = made({ states: ["a", "b", "c"], recovery: MINUTE });
    expect([1, 2, 3].map((minute) => carriesAt(carried, 1, minute * MINUTE))).toEqual([0, 1, 2]);
    expect(carriesAt({ ...carried, recovery: 0 }, 1, 9 * MINUTE)).toBe(1);
    const into = new Float32Array(2 * NUMBERS);
    expect(new People(carried).fill(2.5 * MINUTE, { b: 4 }, into)).toBe(1);
    expect(into[3]).toBe(4);
  });
});
