/** What is played of a simulation: everybody's way with times, and how full places are, as the server packs it. */
import type { NumberArray } from "./packed";
import { playbackArrays } from "./studies";

export type PlayedPlace = { name: string; at: [number, number]; room: number | null; inside: number[]; turned_away: number[] };
type Head = {
  people: number;
  modes: string[];
  /** Names of the states where something is passed on; else none. */
  states: string[];
  /** How long one carries it, in ms; 0 for good. */
  recovery: number;
  /** Moments at which numbers are told, in minutes since midnight. */
  minutes: number[];
  /** How many are doing what at each of them, by the name of each state. */
  counts: Record<Doing, number[]>;
  places: PlayedPlace[];
};
/** What people do, in the order in which the server counts it. */
export type Doing = "not started" | "travelling" | "waiting" | "inside" | "left" | "gave up" | "no way";

export type Playback = Head & {
  shapes: { start: Uint32Array; lon: Float64Array; lat: Float64Array; metres: Float32Array };
  /** Ways: those of person i are `begins[i]` to the next; a shape is half of `shape`, travelled backwards where that is odd. */
  ways: { begins: Uint32Array; shape: Int32Array; from: Float32Array; to: Float32Array; enters: Int32Array; leaves: Int32Array };
  /** Of each person; -1 for never. */
  who: { mode: Uint8Array; departs: Int32Array; arrives: Int32Array; enters: Int32Array; ends: Int32Array; since: Int32Array };
};

export async function playbackOf(study: string, question: string): Promise<Playback> {
  const { head, arrays } = await playbackArrays(study, question);
  const [start, lon, lat, metres, begins, shape, from, to, enters, leaves, mode, departs, arrives, comes, ends, since] = arrays as [
    Uint32Array, Float64Array, Float64Array, Float32Array, Uint32Array, Int32Array, Float32Array, Float32Array, Int32Array, Int32Array, Uint8Array, ...Int32Array[],
  ];
  const there = <T extends NumberArray>(array: T | undefined): T => {
    if (!array) throw new Error("The playback lacks an array");
    return array;
  };
  return {
    ...(head as unknown as Head),
    shapes: { start, lon, lat, metres },
    ways: { begins, shape, from, to, enters, leaves },
    who: { mode, departs: there(departs), arrives: there(arrives), enters: there(comes), ends: there(ends), since: there(since) },
  };
}
