/** Classes of numbers: their limits, and how they are said. */
import { t } from "@lingui/core/macro";
import { ckmeans } from "simple-statistics";
import { figure, withUnit } from "../common/format";

export type Classing = "equal" | "quantile" | "natural" | "counts" | "own";
export const CLASSINGS: [Classing, string][] = [
  ["equal", t`equal steps`],
  ["quantile", t`as many zones in each`],
  ["natural", t`natural breaks`],
  ["own", t`limits of my own`],
];
/** Offered where whole numbers are counted. */
export const COUNTED: [Classing, string] = ["counts", t`whole numbers`];
/** How many classes a choropleth has. */
export const CLASSES = 5;

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

/** Limits of classes of whole numbers from none on: class i holds `limits[i]` up to one less than the next, the last its end. */
export function countBreaks(values: number[]): number[] {
  const most = values.reduce((greatest, value) => Math.max(greatest, value), 1);
  const step = Math.max(Math.ceil(most / CLASSES), 1);
  const inner = Array.from({ length: CLASSES - 1 }, (_, i) => (i + 1) * step + 1).filter((limit) => limit <= most);
  return [0, ...inner, most];
}

/** `3 to 4`. */
export function countWords(limits: number[], i: number): string {
  const last = i === limits.length - 2;
  const [low, high] = [limits[i] ?? 0, (limits[i + 1] ?? 0) - (last ? 0 : 1)];
  return low === high ? figure(low) : t`${figure(low)} to ${figure(high)}`;
}

/** The class of a value among limits; -1 where there is none. */
export function classOf(value: unknown, limits: number[]): number {
  if (typeof value !== "number" || !Number.isFinite(value)) return -1;
  // Limits of one's own need not hold every value.
  if (value < (limits[0] ?? 0) || value > (limits[limits.length - 1] ?? 0)) return -1;
  let at = limits.length - 2;
  while (at > 0 && value < (limits[at] ?? 0)) at--;
  return at;
}

/** `12.5 to 20 min`. */
export function classWords(limits: number[], i: number, unit: string): string {
  const spread = (limits[limits.length - 1] ?? 1) - (limits[0] ?? 0);
  const digits = limits.every((limit) => Number.isInteger(limit)) ? 0 : spread < 1 ? 3 : spread < 50 ? 1 : 0;
  // Small limits among large ones keep their tenth.
  const words = (limit = 0) => figure(limit, digits === 0 && Math.abs(limit) < 10 && !Number.isInteger(limit) ? 1 : digits);
  const [low, high] = [words(limits[i]), words(limits[i + 1])];
  return withUnit(low === high ? low : t`${low} to ${high}`, unit);
}
