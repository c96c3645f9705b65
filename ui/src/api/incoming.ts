/** Files on their way into a study: what is in them, and what is to become of them. */
import type { FeatureCollection, Polygon, MultiPolygon } from "geojson";
import { fetchJson, sendJson } from "./client";
import { sendFile, type JobInfo } from "./own";

export type LineRoles = {
  street_class: string | null;
  name: string | null;
  speed: string | null;
  direction: string | null;
  level: string | null;
  cost_forward: string | null;
  cost_backward: string | null;
  forward: string;
  backward: string;
  both: string;
  default_class: string;
};
export type IncomingLayer = {
  name: string | null;
  geometry: "point" | "line" | "polygon" | "mixed" | "empty" | "raster";
  count: number;
  bounds?: [number, number, number, number] | null;
  crs: string | null;
  fields: Record<string, string[]>;
  types?: Record<string, string>;
  role?: string;
  invalid?: number;
  without_geometry?: number;
  /** Why it cannot be used as it is. */
  unusable?: string;
  /** What is wrong with its coordinate system, and systems in which it would fit. */
  problem?: string;
  candidates?: string[];
  /** It lies far from the streets of the study. */
  far?: boolean;
  length_km?: number;
  roles?: LineRoles;
  known?: Record<string, number>;
  raster?: { rows: number; columns: number; cell_m: number; least: number; most: number; total: number };
};
export type Extract = {
  ways: number;
  streets: number;
  length_km: number;
  bounds: [number, number, number, number] | null;
  classes: { class: string; count: number; length_km: number }[];
  known: Record<string, number>;
  restrictions: number;
  barriers: number;
};
export type ReadyGraph = {
  nodes?: number;
  links?: number;
  length_km?: number;
  bounds?: [number, number, number, number];
  problem?: string;
  weights?: string[];
  candidates?: string[];
};
/** A file that waits at the server until it is decided what it is. */
export type Incoming = {
  token: string;
  name: string;
  kind: "extract" | "graph" | "layers" | "raster";
  layers: IncomingLayer[];
  extract?: Extract;
  graph?: ReadyGraph;
};
export type Area = Polygon | MultiPolygon;
export type StreetWords = {
  study: string | null;
  layer?: string | null;
  crs?: string | null;
  fields?: Record<string, string>;
  tolerance?: number;
  first_node?: number;
  nodes_layer?: string | null;
  nodes_field?: string | null;
  area?: Area | null;
  area_layer?: string | null;
  without?: string[];
  weight?: string | null;
};
export type LayerChoice = { name: string | null; role: string; crs: string | null };

export const receive = (file: File, study: string | null, onProgress: (share: number) => void) =>
  sendFile<Incoming>(`/incoming?name=${encodeURIComponent(file.name)}${study ? `&study=${study}` : ""}`, file, onProgress);
export const lookAgain = (token: string, study: string | null, crs: string) => sendJson<Incoming>(`/incoming/${token}/look`, "POST", { study, crs });
export const previewOf = (token: string, crs: string | null) =>
  fetchJson<FeatureCollection>(`/incoming/${token}/preview${crs ? `?crs=${encodeURIComponent(crs)}` : ""}`);

/** The ground a file covers, as far as it is known; what can be drawn of it. */
export function boundsOf({ extract, graph, layers, kind }: Incoming): [number, number, number, number] | null {
  if (extract) return extract.bounds;
  if (graph) return graph.bounds ?? null;
  const boxes = kind === "raster" ? [] : layers.flatMap(({ bounds }) => (bounds ? [bounds] : []));
  if (boxes.length === 0) return null;
  const least = (i: 0 | 1) => Math.min(...boxes.map((box) => box[i]));
  const most = (i: 2 | 3) => Math.max(...boxes.map((box) => box[i]));
  return [least(0), least(1), most(2), most(3)];
}
export const areaOfFile = (file: File) => sendFile<Area>(`/incoming/area?name=${encodeURIComponent(file.name)}`, file, () => undefined);
export const buildStreets = (token: string, words: StreetWords) => sendJson<JobInfo>(`/incoming/${token}/streets`, "POST", words);
export const addLayers = (token: string, study: string, layers: LayerChoice[]) => sendJson<JobInfo>(`/incoming/${token}/layers`, "POST", { study, layers });
export const dismissIncoming = (token: string) => sendJson<unknown>(`/incoming/${token}`, "DELETE");
