/** The address of a map sheet. */
import type { Paper } from "../../state/slices/handout";

export const FORMATS = [
  ["pdf", "PDF"],
  ["svg", "SVG"],
  ["png", "PNG"],
] as const;

/** Where the server draws a sheet. */
export function addressOf(study: string, { answer, paper, orientation, colour, scale, title, legend, method }: Paper, format: string, dpi = 300): string {
  const words = new URLSearchParams({ format, paper, orientation, colour, dpi: String(dpi), legend: String(legend), method: String(method) });
  if (scale !== null) words.set("scale", String(scale));
  if (title) words.set("title", title);
  return `/studies/${study}/maps/${encodeURIComponent(answer)}?${words.toString()}`;
}

/** The scale a text names: `15000`, `1:15,000`; null where it names none, or one that is none for a map. */
export function scaleOf(text: string): number | null {
  const digits = text.replace(/^\s*1\s*:/, "").replace(/[\s,.']/g, "");
  const scale = Number(digits);
  return /^\d+$/.test(digits) && scale >= 500 && scale <= 5_000_000 ? scale : null;
}
