/** Where everybody is at a moment, which way each faces, and in which state: worked out anew for each picture. */
import type { Doing, Playback } from "../api/playback";
import { Plane } from "./Plane";

/** Who has given up is still seen for so long. */
const LINGERS_MS = 5 * 60_000;
/** Numbers of each person: metres east and south of the origin, direction in radians, and the row of the ink; none where that is -1. */
export const NUMBERS = 4;

/** What a person does at a moment of the day, in ms. */
export function doingAt({ who }: Playback, person: number, ms: number): Doing {
  const [departs, arrives, enters, ends] = [who.departs, who.arrives, who.enters, who.ends].map((times) => times[person] ?? -1) as [number, number, number, number];
  if (departs < 0) return "no way";
  if (ms < departs) return "not started";
  if (enters >= 0) return ms < arrives ? "travelling" : ms < enters ? "waiting" : ms < ends ? "inside" : "left";
  return ms < arrives ? "travelling" : ms < ends ? "waiting" : "gave up";
}

/** Which of the states of what is passed on a person is in: 0 before, 1 while it is carried, 2 after. */
export function carriesAt({ who, recovery }: Playback, person: number, ms: number): 0 | 1 | 2 {
  const since = who.since[person] ?? -1;
  if (since < 0 || ms < since) return 0;
  return recovery > 0 && ms >= since + recovery ? 2 : 1;
}

export class People {
  readonly count: number;
  readonly plane: Plane;
  private readonly xy: Float32Array;
  /** The stretch of its way that each person was on last: time mostly goes on from there. */
  private readonly at: Uint32Array;

  constructor(readonly playback: Playback) {
    const { shapes, ways } = playback;
    this.count = ways.begins.length - 1;
    this.plane = new Plane(shapes.lon[0] ?? 0, shapes.lat[0] ?? 0);
    this.xy = this.plane.metres(shapes.lon, shapes.lat);
    this.at = Uint32Array.from(ways.begins.subarray(0, this.count));
  }

  /** Fill in the numbers of all who are to be seen; `inks` has the row of the ink by state, states without one are not seen. */
  fill(ms: number, inks: Partial<Record<string, number>>, into: Float32Array): number {
    const { playback } = this;
    const passed = playback.states.length > 0;
    let seen = 0;
    for (let person = 0; person < this.count; person++) {
      const doing = doingAt(playback, person, ms);
      if (doing !== "travelling" && doing !== "waiting" && !(doing === "gave up" && ms < (playback.who.ends[person] ?? 0) + LINGERS_MS)) continue;
      const state = passed ? (playback.states[carriesAt(playback, person, ms)] ?? "") : doing;
      const ink = inks[state];
      if (ink === undefined) continue;
      if (this.place(person, ms, into, seen * NUMBERS)) {
        into[seen * NUMBERS + 3] = ink;
        seen++;
      }
    }
    return seen;
  }

  /** Put place and direction of a person at a row; false where it is nowhere yet. */
  place(person: number, ms: number, into: Float32Array, row: number): boolean {
    const { begins, shape, from, to, enters, leaves } = this.playback.ways;
    const [first, end] = [begins[person] ?? 0, begins[person + 1] ?? 0];
    if (first === end || ms < (enters[first] ?? 0)) return false;
    let at = Math.min(Math.max(this.at[person] ?? first, first), end - 1);
    if (ms < (enters[at] ?? 0)) at = first;
    while (at + 1 < end && (enters[at + 1] ?? 0) <= ms) at++;
    this.at[person] = at;
    const [begun, over] = [enters[at] ?? 0, leaves[at] ?? 0];
    const share = over > begun ? Math.min((ms - begun) / (over - begun), 1) : 1;
    const fraction = (from[at] ?? 0) + ((to[at] ?? 0) - (from[at] ?? 0)) * share;
    this.along((shape[at] ?? 0) >> 1, fraction, ((shape[at] ?? 0) & 1) === 1, into, row);
    return true;
  }

  private along(shape: number, fraction: number, back: boolean, into: Float32Array, row: number): void {
    const { start, metres } = this.playback.shapes;
    const [first, end] = [start[shape] ?? 0, start[shape + 1] ?? 0];
    const wanted = fraction * (metres[end - 1] ?? 0);
    let i = first;
    while (i + 2 < end && (metres[i + 1] ?? 0) < wanted) i++;
    const span = (metres[i + 1] ?? 0) - (metres[i] ?? 0);
    const part = span > 0 ? Math.min(Math.max((wanted - (metres[i] ?? 0)) / span, 0), 1) : 0;
    const [x, y] = [this.xy[2 * i] ?? 0, this.xy[2 * i + 1] ?? 0];
    const [east, south] = [(this.xy[2 * i + 2] ?? x) - x, (this.xy[2 * i + 3] ?? y) - y];
    into[row] = x + part * east;
    into[row + 1] = y + part * south;
    into[row + 2] = Math.atan2(south, east) + (back ? Math.PI : 0);
  }
}
