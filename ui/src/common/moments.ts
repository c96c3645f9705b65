/** Days and hours as the server wants them: a local date and time. One day stands for all of its kind. */
import { t } from "@lingui/core/macro";
import { LOCALE } from "./format";
export type Day = "weekday" | "saturday" | "sunday";
export const DAYS: [Day, string][] = [
  ["weekday", t`on a weekday`],
  ["saturday", t`on a Saturday`],
  ["sunday", t`on a Sunday`],
];
const DATE: Record<Day, string> = { weekday: "2026-06-03", saturday: "2026-06-06", sunday: "2026-06-07" };

/** `08:30` of 8.5 hours. */
export const clock = (hour: number) => `${String(Math.floor(hour)).padStart(2, "0")}:${String(Math.round((hour % 1) * 60)).padStart(2, "0")}`;
export const momentOf = (day: Day, hour: number) => `${DATE[day]}T${clock(hour)}`;
export const hourOf = (at: string) => Number(at.slice(11, 13)) + Number(at.slice(14, 16)) / 60;

export function dayOf(at: string): Day {
  const day = new Date(`${at.slice(0, 10)}T12:00`).getDay();
  return day === 0 ? "sunday" : day === 6 ? "saturday" : "weekday";
}

/** `Friday 5 June 2026, 08:00` of a local date and time. */
export function momentWords(at: string): string {
  const date = new Date(at);
  return `${date.toLocaleDateString(LOCALE, { weekday: "long", day: "numeric", month: "long", year: "numeric" }).replace(",", "")}, ${clock(hourOf(at))}`;
}

/** The value of a curve of 24 full hours at any hour, straight between them. */
export function shareAt(share: number[], hour: number): number {
  const low = Math.floor(hour) % 24;
  const [a, b] = [share[low] ?? 1, share[(low + 1) % 24] ?? 1];
  return a + (b - a) * (hour - Math.floor(hour));
}

/** The last of some moments, ascending, that is not after another; the first where all are. */
export function stepOf(moments: number[], moment: number): number {
  let step = 0;
  for (const [i, at] of moments.entries()) if (at <= moment) step = i;
  return step;
}
