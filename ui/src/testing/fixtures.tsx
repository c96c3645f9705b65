/** What tests of the interface share: a small study, and a frame with its queries answered. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import type { ReactNode } from "react";
import processes from "./processes.json";
import type { BuildReport, LayerInfo, Overview, SheetDoc } from "../api/studies";
import type { ProcessInfo } from "../api/inputs";
import type { Answer, QuestionBlock } from "../state/sheet";

export const LAYERS = [
  { id: "water", title: "Water", role: "base", count: 3, fields: {}, geometry: "POLYGON", source: "cut.osm.pbf" },
  { id: "zones", title: "Zones", role: "zones", count: 3, fields: { population: "INTEGER" }, geometry: "POLYGON", source: "layers.gpkg" },
  { id: "cool_rooms", title: "Cool rooms", role: "places", count: 2, fields: { seats: "INTEGER" }, geometry: "POINT", source: "layers.gpkg" },
] as unknown as LayerInfo[];

export const BUILD = {
  ways_read: 120, streets_read: 100, ways_not_street: {}, nodes: 300, links: 420, length_m: 31_000, border_nodes: 12, references_missing: 7,
  ways_outside: 2, zero_length_dropped: 1, classes_left_out: {}, barriers: { bollard: 4 }, restrictions: 9, restrictions_not_placed: 1, nodes_merged: 5, length_by_class_m: { residential: 30_000, steps: 1000 }, links_by_class: { residential: 400, steps: 20 },
  share_with_maxspeed: 0.5, share_named: 0.9, share_oneway: 0.1, lines: {}, source: "cut.osm.pbf", built: "2026-08-04T12:00:00Z",
} as unknown as BuildReport;

export const OVERVIEW = {
  id: "ferrow", title: "Ferrow", revision: "abc", build: BUILD, formerBuild: null, layers: LAYERS, modes: [], bounds: [-36.3, 41.2, -36.1, 41.4],
  whatIfs: [], modeUndo: 0, rasters: [], timetables: [], keepParts: { rule: "largest", above_m: 0 }, drawn: false, costs: [], streetFields: ["link_id", "name", "maxspeed"],
} as unknown as Overview;

/** The questions as the server describes them. */
export const PROCESSES = processes as unknown as ProcessInfo[];
export const processOf = (id: string) => PROCESSES.find((process) => process.id === id) as ProcessInfo;

export const question = (id: string, process: string, inputs: Record<string, unknown>): QuestionBlock => ({ id, kind: "question", process, inputs });

export const sheetOf = (...blocks: QuestionBlock[]): SheetDoc => ({ id: "main", title: "Who?", blocks, blanks: [], forms: [], undo: 1, changed: "2026-08-04T12:00:00Z" });

export function answerOf(block: QuestionBlock, result: Record<string, unknown>, fresh = true): Answer {
  const made = { title: "", summary: {}, figures: [], doubts: [], method: [], view: {}, schema: {}, ...result } as unknown as Answer["result"];
  return { process: block.process, inputs: block.inputs, made: "2026-08-04T12:00:00Z", seconds: 0.1, result: made, fresh };
}

/** A frame in which the given queries are answered already. */
export function framed(known: [unknown[], unknown][] = []) {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } });
  for (const [key, value] of known) queries.setQueryData(key, value);
  return ({ children }: { children: ReactNode }) => <QueryClientProvider client={queries}>{children}</QueryClientProvider>;
}

export const square = (west: number, properties: Record<string, unknown>) => ({
  type: "Feature" as const,
  properties,
  geometry: { type: "Polygon" as const, coordinates: [[[west, 0], [west + 1, 0], [west + 1, 1], [west, 0]]] },
});

/** Tokens a test needs, as the style sheet would set them. */
export function setTokens(tokens: Record<string, string>): void {
  for (const [name, value] of Object.entries(tokens)) document.documentElement.style.setProperty(name, value);
}

export const TOKENS = {
  "--ground": "#f5f6f1", "--page": "#fdfdfb", "--sunk": "#f0f2ec", "--b1": "#5b1647", "--b2": "#b4472f", "--b3": "#b67710",
  "--b1-fill": "#dbbdd1", "--b2-fill": "#f3d8c9", "--b3-fill": "#faf1db", "--b1-line": "#4a0f39", "--b2-line": "#8f301a", "--b3-line": "#7a4e00",
  "--place": "#3f5c18", "--time": "#7a2860", "--amount": "#7a4e00", "--mode": "#005e73", "--good": "#2f6234",
};
