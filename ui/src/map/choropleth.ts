/** Zones coloured by a figure: which figures an answer has, and the limits of their classes. */
import { ckmeans } from "simple-statistics";
import type { Feature } from "geojson";
import { figure, ordinal, withUnit } from "../common/format";
import type { Answer } from "../state/sheet";

export type Classing = "equal" | "quantile" | "natural" | "own";
export const CLASSINGS: [Classing, string][] = [
  ["equal", "equal steps"],
  ["quantile", "as many zones in each"],
  ["natural", "natural breaks"],
  ["own", "limits of my own"],
];
/** How many classes a choropleth has. */
export const CLASSES = 5;

export type Shown = { field: string; title: string; unit: string; fixed?: number[]; diverging?: boolean };
const SHARES = [0, 20, 40, 60, 80, 100];
/** Points of a change of shares: small ones are told apart, none is its own class. */
const CHANGES = [-100, -20, -5, -0.5, 0.5, 5, 20, 100];

const middleFirst = (limits: number[]): number[] => {
  const middle = limits[Math.floor(limits.length / 2)] ?? 0;
  return [middle, ...limits.filter((limit) => limit !== middle)];
};

/** Figures of an `access` answer that zones can be coloured by; the share within the middle limit leads, of two runs its change. */
export function figuresOf(answer: Answer): Shown[] {
  const limits = middleFirst(answer.inputs.limits as number[]);
  const first = ((answer.result.zones as { features?: Feature[] } | undefined)?.features ?? [])[0]?.properties ?? {};
  const known: Shown[] = [
    ...limits.map((limit): Shown => ({ field: `change_share_within_${limit}`, title: `Change within ${limit} min, points`, unit: "", fixed: CHANGES, diverging: true })),
    ...limits.map((limit): Shown => ({ field: `share_within_${limit}`, title: `People within ${limit} min`, unit: "%", fixed: SHARES })),
    ...limits.map((limit): Shown => ({ field: `other_share_within_${limit}`, title: `Other run, within ${limit} min`, unit: "%", fixed: SHARES })),
    ...limits.map((limit): Shown => ({ field: `overstated_${limit}`, title: `More if straight, ${limit} min`, unit: "people" })),
    { field: "mean_min", title: "Mean time to the nearest", unit: "min" },
    ...limits.map((limit): Shown => ({ field: `places_within_${limit}`, title: `Places within ${limit} min`, unit: "" })),
    { field: "gravity", title: "Potential", unit: "" },
    { field: "supply_per_1000", title: "Supply per 1000 people", unit: "" },
    ...Object.keys(first)
      .filter((field) => /^min_to_\d+_nearest$/.test(field))
      .map((field): Shown => ({ field, title: `Time to the ${ordinal(Number(field.split("_")[2]))} nearest`, unit: "min" })),
  ];
  return known.filter(({ field }) => field in first);
}

/** Limits written by hand, ascending; null where they are none. */
export function ownLimits(text: string): number[] | null {
  const numbers = text.split(/[;,\s]+/).filter(Boolean).map(Number);
  const rising = numbers.every((value, i) => Number.isFinite(value) && (i === 0 || value > (numbers[i - 1] ?? 0)));
  return rising && numbers.length >= 2 && numbers.length <= MOST_OWN ? numbers : null;
}
/** Most limits that can be written. */
const MOST_OWN = 10;

/** Limits of classes, from the least value to the greatest, each once. */
export function breaks(values: number[], classing: Classing, fixed?: number[], own?: number[] | null): number[] {
  if (classing === "own" && own) return own;
  if (fixed && (classing === "equal" || classing === "own")) return fixed;
  const sorted = [...values].sort((a, b) => a - b);
  const [low, high] = [sorted[0], sorted[sorted.length - 1]];
  if (low === undefined || high === undefined) return [0, 1];
  if (low === high) return [low, high];
  const inner =
    classing === "equal" || classing === "own"
      ? Array.from({ length: CLASSES - 1 }, (_, i) => low + ((high - low) * (i + 1)) / CLASSES)
      : classing === "quantile"
        ? Array.from({ length: CLASSES - 1 }, (_, i) => sorted[Math.ceil((sorted.length * (i + 1)) / CLASSES)] ?? high)
        : ckmeans(sorted, Math.min(CLASSES, new Set(sorted).size)).slice(1).map((group) => group[0] ?? high);
  return [...new Set([low, ...inner, high])];
}

/** The class of a value among limits; -1 where there is none. */
export function classOf(value: unknown, limits: number[]): number {
  if (typeof value !== "number" || !Number.isFinite(value)) return -1;
  // Limits of one's own need not hold every value.
  if (value < (limits[0] ?? 0) || value > (limits[limits.length - 1] ?? 0)) return -1;
  return Math.min(limits.slice(0, -1).findLastIndex((low) => value >= low), limits.length - 2);
}

/** `12.5 to 20 min`. */
export function classWords(limits: number[], i: number, unit: string): string {
  const spread = (limits[limits.length - 1] ?? 1) - (limits[0] ?? 0);
  const digits = limits.every((limit) => Number.isInteger(limit)) ? 0 : spread < 1 ? 3 : spread < 50 ? 1 : 0;
  // Small limits among large ones keep their tenth.
  const words = (limit = 0) => figure(limit, digits === 0 && Math.abs(limit) < 10 && !Number.isInteger(limit) ? 1 : digits);
  const [low, high] = [words(limits[i]), words(limits[i + 1])];
  return withUnit(low === high ? low : `${low} to ${high}`, unit);
}
