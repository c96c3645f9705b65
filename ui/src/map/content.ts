/** What a map and its legend show, as data. */
import type { Inputs } from "../api/inputs";
import type { Classing } from "./choropleth";
import type { Dots } from "./dots";
import type { GraphNodes } from "./nodes";
import type { Overlays } from "./style";

/** What the streets of the stage Modes can be graded by. */
export type StreetValue = "speed" | "source" | "slope" | "delay" | "beside";
export type LegendRow = {
  key: string;
  /** By what its look is kept; rows without one have no look of their own. */
  id?: string;
  label: string;
  count?: number | undefined;
  swatch: { kind: "area" | "line" | "dash" | "button" | "triangle" | "circle" | "hatch" | "number"; fill?: string; line?: string; width?: number };
};
/** What features are graded by and how classes are made, for the legend to change. */
export type Graded = { of: string; field: string; classing: Classing; limits: number[]; figures: [string, string][]; counts: boolean };
export type LegendGroup = { id?: string; title: string; note?: string; rows: LegendRow[]; grades?: Graded };
export type StreetsShown = { kind: "plain" } | { kind: "mode"; mode: string; at: string | null; beside: string | null; values?: { by: StreetValue; limits: number[] } } | { kind: "reach"; inputs: Inputs; limits: number[] };
export type MapContent = { overlays: Overlays; dots: Dots | null; nodes: GraphNodes | null; streets: StreetsShown; groups: LegendGroup[]; bandCount: number; order: readonly string[] };

export const nothingShown = (): MapContent => ({ overlays: {}, dots: null, nodes: null, streets: { kind: "plain" }, groups: [], bandCount: 3, order: UNORDERED });

/** One and the same value, so that nothing is ordered anew where nothing was ordered. */
export const UNORDERED: readonly string[] = [];

/** The limit that leads: the middle one. */
export const middleLimit = (limits: number[]) => limits[Math.floor(limits.length / 2)] ?? 0;
