/** How the streets of the stage Modes are coloured: the bands of each value, and what they are called. */
import { t } from "@lingui/core/macro";
import { withUnit } from "../../common/format";
import type { Packed } from "../../api/packed";
import type { ModeInfo } from "../../api/studies";
import type { Colour } from "../../state/screen";

/** Steps of speed in km/h, by what a mode's fastest street allows. */
const SPEED_STEPS: [number, number[]][] = [
  [7, [2, 3, 4, 7]],
  [40, [8, 12, 16, 40]],
  [Infinity, [20, 30, 50, 300]],
];

/** Edges between bands of slope in percent and of seconds lost. */
const SLOPE_STEPS = [1, 3, 6, 10];
const DELAY_STEPS = [0.5, 5, 10, 20];
/** The darkest band comes first; where much is what matters, values are counted down from here. */
const TOP = 10_000;

/** Bands of values counted down from the top: the highest first. */
function falling(edges: number[], unit: string): { limits: number[]; words: (i: number) => string } {
  const down = [...edges].reverse();
  return { limits: [...down.map((edge) => TOP - edge), TOP + 1], words: (i) => withUnit(i === 0 ? t`over ${down[0] ?? TOP}` : t`to ${down[i - 1] ?? TOP}`, unit) };
}

/** What the streets of the stage Modes are coloured by. */
export type ModeLook = { mode: string; at: string | null; colour: Colour; beside: string | null };

/** The bands of a colouring: their upper edges, and what each is called in the legend. */
export function modeBands(info: ModeInfo, other: ModeInfo | null, colour: Colour): { title: string; limits: number[]; words: (i: number) => string } {
  const steps = (limits: number[], unit: string) => (i: number) => withUnit(i === limits.length - 1 ? t`over ${limits[i - 1] ?? 0}` : t`to ${limits[i] ?? 0}`, unit);
  if (colour === "beside") {
    // 0, 1, 2: used by both, by the chosen mode alone, by the other alone.
    const names = [t`both`, t`${info.title.toLowerCase()} alone`, t`${other?.title.toLowerCase() ?? ""} alone`];
    return { title: t`used by`, limits: [0.5, 1.5, 2.5], words: (i) => names[i] ?? "" };
  }
  if (colour === "source") {
    // A source is a number from 0 on; half a step above it is the edge of its band.
    const limits = info.speed_sources.map((_, i) => i + 0.5);
    return { title: t`speed from`, limits, words: (i) => t`${info.speed_sources[i]?.source ?? ""}, ${(info.speed_sources[i]?.km ?? 0).toFixed(0)} km` };
  }
  if (colour === "slope") return { title: t`steepest slope`, ...falling(SLOPE_STEPS, "%") };
  if (colour === "delay") return { title: t`lost at its ends`, ...falling(DELAY_STEPS, "s") };
  const fastest = Math.max(...Object.values(info.document.speeds), 0);
  const speeds = SPEED_STEPS.find(([top]) => fastest <= top)?.[1] ?? [];
  return { title: "speed", limits: speeds, words: steps(speeds, "km/h") };
}

/** The values of links to colour by, and which ways are open; null while the other mode is on its way. */
export function valuesOf(by: Colour, own: Packed, other: Packed | null): { values: Float32Array; forward: Int32Array; backward: Int32Array } | null {
  const [forward, backward, speed, source, steepest, lost] = own.arrays as [Int32Array, Int32Array, Float32Array, Float32Array, Float32Array, Float32Array];
  const down = (values: Float32Array) => values.map((value) => TOP - value);
  if (by === "slope" || by === "delay") return { values: down(by === "slope" ? steepest : lost), forward, backward };
  if (by !== "beside") return { values: by === "source" ? source : speed, forward, backward };
  if (!other) return null;
  const [ahead, back] = other.arrays as [Int32Array, Int32Array];
  const used = (a: Int32Array, b: Int32Array, i: number) => (a[i] ?? -1) >= 0 || (b[i] ?? -1) >= 0;
  return {
    values: Float32Array.from(forward, (_, i) => (used(forward, backward, i) ? (used(ahead, back, i) ? 0 : 1) : 2)),
    forward: forward.map((cost, i) => Math.max(cost, ahead[i] ?? -1)),
    backward: backward.map((cost, i) => Math.max(cost, back[i] ?? -1)),
  };
}
