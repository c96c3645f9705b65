/** Numbers in words and figures: thousands separated, a true minus, no bare numbers without unit. */
import { t } from "@lingui/core/macro";
export const LOCALE = "en-GB";
const formats = new Map<number, Intl.NumberFormat>();

function format(digits: number): Intl.NumberFormat {
  let known = formats.get(digits);
  if (!known) {
    known = new Intl.NumberFormat(LOCALE, { minimumFractionDigits: digits, maximumFractionDigits: digits });
    formats.set(digits, known);
  }
  return known;
}

/** A quantity. Identifiers are no quantities: numbers of nodes, links and ways are written as they are. */
export function figure(value: number | null | undefined, digits = 0): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return "–";
  const text = format(digits).format(value);
  return Number(value.toFixed(digits)) === 0 ? text.replace("-", "") : text.replace("-", "−");
}

/** A text with its unit: a space between, none before %. */
export const withUnit = (text: string, unit: string) => (unit === "%" ? `${text}%` : unit ? `${text} ${unit}` : text);
export const km = (metres: number, digits = 1) => t`${figure(metres / 1000, digits)} km`;
/** Metres, from a length on kilometres. */
export const distance = (metres: number, most = 1000) => (metres < most ? t`${figure(metres)} m` : km(metres, 2));
export const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
export const percent = (share: number, digits = 0) => `${figure(share * 100, digits)}%`;

/** Minutes as min, hours as h:mm. */
export function duration(seconds: number): string {
  if (seconds < 60) return t`${figure(seconds)} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 60 ? t`${minutes} min` : t`${Math.floor(minutes / 60)}:${String(minutes % 60).padStart(2, "0")} h`;
}

/** How long an answer took: in ms below a second, so that it is never "0.0 s". */
export function elapsed(seconds: number): string {
  return seconds < 0.9995 ? t`${figure(Math.max(1, seconds * 1000))} ms` : t`${figure(seconds, 1)} s`;
}

export function clock(moment: string): string {
  const time = new Date(moment);
  return Number.isNaN(time.getTime()) ? "" : time.toLocaleTimeString(LOCALE, { hour: "2-digit", minute: "2-digit" });
}

/** A minute of the day as 13:05; of the next day 25:05. */
export const clockOfDay = (minute: number) => `${String(Math.floor(minute / 60)).padStart(2, "0")}:${String(Math.floor(minute) % 60).padStart(2, "0")}`;

const UNITS: [Intl.RelativeTimeFormatUnit, number][] = [["year", 31_536_000], ["month", 2_592_000], ["day", 86_400], ["hour", 3600], ["minute", 60]];

/** How long ago a moment was, in the largest unit that fits. */
export function ago(moment: string, now = Date.now()): string {
  const seconds = (now - new Date(moment).getTime()) / 1000;
  const [unit, length] = UNITS.find(([, size]) => seconds >= size) ?? ["minute", 60];
  return seconds < 60 ? t`just now` : new Intl.RelativeTimeFormat(LOCALE, { numeric: "auto" }).format(-Math.floor(seconds / length), unit);
}

/** 1st, 2nd, 3rd, 4th, 11th. */
export function ordinal(n: number): string {
  const suffix = { one: "st", two: "nd", few: "rd", other: "th" }[new Intl.PluralRules(LOCALE, { type: "ordinal" }).select(n) as "one" | "two" | "few" | "other"];
  return `${n}${suffix}`;
}

export const words = (text: string) => text.replaceAll("_", " ");
