/** Numbers in words and figures: thin spaces between thousands, a true minus, no bare numbers without unit. */
const THIN = "\u202f";

export function figure(value: number | null | undefined, digits = 0): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return "–";
  const [whole = "", rest] = Math.abs(value).toFixed(digits).split(".");
  const grouped = whole.length > 4 ? whole.replace(/\B(?=(\d{3})+$)/g, THIN) : whole;
  const sign = value < 0 && Number(value.toFixed(digits)) !== 0 ? "−" : "";
  return sign + grouped + (rest ? `.${rest}` : "");
}

export const km = (metres: number, digits = 1) => `${figure(metres / 1000, digits)} km`;
export const percent = (share: number, digits = 0) => `${figure(share * 100, digits)} %`;

/** Minutes as min, hours as h:mm. */
export function duration(seconds: number): string {
  if (seconds < 60) return `${figure(seconds)} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 60 ? `${minutes} min` : `${Math.floor(minutes / 60)}:${String(minutes % 60).padStart(2, "0")} h`;
}

/** How long an answer took: in ms below a second, so that it is never "0.0 s". */
export function elapsed(seconds: number): string {
  return seconds < 0.9995 ? `${figure(Math.max(1, seconds * 1000))} ms` : `${figure(seconds, 1)} s`;
}

export function clock(stamp: string): string {
  const time = new Date(stamp);
  return Number.isNaN(time.getTime()) ? "" : time.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
}

export const words = (text: string) => text.replaceAll("_", " ");
