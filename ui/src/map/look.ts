/** Colours and widths of the map, read from the tokens of the theme in force. */
import type { Rgb, StreetLook } from "./StreetLayer";

/** The value of a token such as `--water`. */
export function token(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

export function rgb(hex: string): Rgb {
  const value = parseInt(hex.slice(1), 16);
  return [((value >> 16) & 255) / 255, ((value >> 8) & 255) / 255, (value & 255) / 255];
}

const mix = (a: Rgb, b: Rgb, share: number): Rgb => [0, 1, 2].map((i) => (a[i] ?? 0) * (1 - share) + (b[i] ?? 0) * share) as Rgb;
const hex = (colour: Rgb) => `#${colour.map((part) => Math.round(part * 255).toString(16).padStart(2, "0")).join("")}`;

export type Band = { fill: string; street: string; line: string };

/** As many bands as limits, near to far: the three of the tokens, and steps between them where more are needed. */
export function bands(count: number): Band[] {
  const stops = [1, 2, 3].map((i) => ({ fill: rgb(token(`--b${i}-fill`)), street: rgb(token(`--b${i}`)), line: rgb(token(`--b${i}-line`)) }));
  return Array.from({ length: count }, (_, i) => {
    const at = count === 1 ? 1 : (i / (count - 1)) * 2;
    const low = Math.min(Math.floor(at), 1);
    const [a, b] = [stops[low], stops[low + 1]];
    if (!a || !b) throw new Error("tokens");
    const share = at - low;
    return { fill: hex(mix(a.fill, b.fill, share)), street: hex(mix(a.street, b.street, share)), line: hex(mix(a.line, b.line, share)) };
  });
}

/** Steps of one hue for shares, low to high. */
export function shareRamp(count = 5): string[] {
  const [paper, ink] = [rgb(token("--ground")), rgb(token("--b1"))];
  return Array.from({ length: count }, (_, i) => hex(mix(paper, ink, count === 1 ? 0.46 : 0.1 + (0.72 * i) / (count - 1))));
}

/** Steps from loss over none to gain: brick, paper, thread. They differ in lightness too, the middle being the lightest. */
export function changeRamp(count: number): string[] {
  const [paper, loss, gain] = [rgb(token("--ground")), rgb(token("--b2")), rgb(token("--thread"))];
  return Array.from({ length: count }, (_, i) => {
    const at = count === 1 ? 0 : (2 * i) / (count - 1) - 1;
    return hex(mix(paper, at < 0 ? loss : gain, 0.06 + 0.8 * Math.abs(at)));
  });
}

/** Quiet tints to tell neighbouring catchments apart; place names and outlines carry the identity. */
export function tints(count: number): string[] {
  const base = ["--place", "--time", "--amount", "--mode", "--b2", "--good", "--b1", "--b3"].map((name) => token(name));
  return Array.from({ length: Math.max(count, 1) }, (_, i) => base[i % base.length] ?? "#888888");
}

export const CLASS_WEIGHT: Record<string, number> = {
  motorway: 4, trunk: 3.8, primary: 3.4, secondary: 2.8, tertiary: 2.1, motorway_link: 2, trunk_link: 2, primary_link: 2,
  unclassified: 1.5, residential: 1.3, living_street: 1.2, pedestrian: 1.2, service: 0.9, track: 0.9, footway: 0.8, path: 0.8,
  cycleway: 0.8, steps: 0.8, connector: 0.8, road: 2,
};
const HIDDEN_BELOW: Record<string, number> = { service: 13.5, footway: 13.5, path: 13.5, steps: 13.5, track: 12.5, living_street: 12.5, residential: 12, pedestrian: 12.5, unclassified: 12, tertiary: 10.5, secondary: 9.2 };

export function streetWidth(highway: string, zoom: number): number {
  if (zoom < (HIDDEN_BELOW[highway] ?? 0)) return 0;
  return (CLASS_WEIGHT[highway] ?? 1) * Math.max(0.62, 2 ** ((zoom - 14.4) * 0.42));
}

export function streetLook(count: number): StreetLook {
  const inks = { main: rgb(token("--st-main")), second: rgb(token("--st-sec")), minor: rgb(token("--st-minor")), path: rgb(token("--st-path")) };
  return {
    ink: (highway) => {
      const weight = CLASS_WEIGHT[highway] ?? 1;
      if (weight >= 3) return inks.main;
      if (weight >= 2) return inks.second;
      return weight >= 1 ? inks.minor : inks.path;
    },
    width: streetWidth,
    faded: rgb(token("--st-fade")),
    bands: bands(Math.max(count, 1)).map((band) => rgb(band.street)),
  };
}
