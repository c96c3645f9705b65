/** Files on their way into a study: what is in them, and what is to become of them. */
import type { FeatureCollection, Polygon, MultiPolygon } from "geojson";
import { fetchJson, sendJson } from "./client";
import { sendFile, type FeedSummary, type JobInfo, type LayerNotes } from "./studies";

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
export type Joined = { broken: number; connected: number; zero_length: number };
export type UploadedLayer = {
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
  /** Columns of a table, where it is not known which of them hold coordinates. */
  columns?: string[];
  /** Its rows can be trips and nothing else. */
  only_trips?: boolean;
  /** The field that likely identifies features, and all that could. */
  key?: string | null;
  keys?: string[];
  notes?: LayerNotes;
  /** It lies far from the streets of the study. */
  far?: boolean;
  length_km?: number;
  roles?: LineRoles;
  known?: Record<string, number>;
  /** What the lines become where crossings are broken, or where only end points meet. */
  joins?: { crossings?: Joined; ends?: Joined };
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
  off_earth?: number;
  repeated?: number;
};
export type ReadyGraph = {
  nodes?: number;
  links?: number;
  length_km?: number;
  left_out?: Record<string, number>;
  /** A drawing without geography. */
  drawn?: boolean;
  bounds?: [number, number, number, number];
  problem?: string;
  weights?: string[];
  /** In what its speeds would be read; null where it has none. */
  speed_unit?: string | null;
  /** Set where the lengths of its links were given. */
  length_unit?: string | null;
  candidates?: string[];
};
/** A file that waits at the server until it is decided what it is. */
export type Upload = {
  token: string;
  name: string;
  kind: "extract" | "graph" | "layers" | "raster" | "timetable";
  layers: UploadedLayer[];
  extract?: Extract;
  graph?: ReadyGraph;
  timetable?: FeedSummary;
};
export type Area = Polygon | MultiPolygon;
export type StreetWords = {
  study: string | null;
  layer?: string | null;
  crs?: string | null;
  fields?: Record<string, string>;
  tolerance?: number;
  break_crossings?: boolean;
  first_node?: number;
  nodes_layer?: string | null;
  nodes_field?: string | null;
  area?: Area | null;
  area_layer?: string | null;
  without?: string[];
  weight?: string | null;
  speed_unit?: string | null;
  length_unit?: string | null;
};
/** How a layer is read where its file does not say: its coordinate system, the columns of a table with its coordinates. */
export type Reading = { crs?: string; x?: string; y?: string };
export type LayerChoice = { name: string | null; role: string; key: string | null } & Reading;

export const receive = (file: File, study: string | null, onProgress: (share: number) => void) =>
  sendFile<Upload>(`/uploads?name=${encodeURIComponent(file.name)}${study ? `&study=${study}` : ""}`, file, onProgress);
export const lookAgain = (token: string, study: string | null, reading: Reading) => sendJson<Upload>(`/uploads/${token}/look`, "POST", { study, ...reading });
export const previewOf = (token: string, reading: Reading, signal: AbortSignal) => fetchJson<FeatureCollection>(`/uploads/${token}/preview?${new URLSearchParams(reading).toString()}`, { signal });

/** The ground a file covers, as far as it is known; what can be drawn of it. */
export function boundsOf({ extract, graph, layers, kind, timetable }: Upload): [number, number, number, number] | null {
  if (extract) return extract.bounds;
  if (graph) return graph.bounds ?? null;
  if (timetable) return timetable.bounds ?? null;
  const boxes = kind === "raster" ? [] : layers.flatMap(({ bounds }) => (bounds ? [bounds] : []));
  if (boxes.length === 0) return null;
  const least = (i: 0 | 1) => Math.min(...boxes.map((box) => box[i]));
  const most = (i: 2 | 3) => Math.max(...boxes.map((box) => box[i]));
  return [least(0), least(1), most(2), most(3)];
}
export const areaOfFile = (file: File) => sendFile<Area>(`/uploads/area?name=${encodeURIComponent(file.name)}`, file, () => undefined);
export const buildStreets = (token: string, words: StreetWords) => sendJson<JobInfo>(`/uploads/${token}/streets`, "POST", words);
export const addLayers = (token: string, study: string, layers: LayerChoice[]) => sendJson<JobInfo>(`/uploads/${token}/layers`, "POST", { study, layers });
/** Between which layers the trips of a table lead, and which columns hold the ids of their ends. */
export type TripEnds = { origins: string; destinations: string; origin: string; destination: string };
export const addTrips = (token: string, study: string, ends: TripEnds) => sendJson<JobInfo>(`/uploads/${token}/trips`, "POST", { study, ...ends });
export const dismissUpload = (token: string) => sendJson<unknown>(`/uploads/${token}`, "DELETE");
