/** The user's own layers: selecting, computing, changing, keeping. */
import type { FeatureCollection, Polygon } from "geojson";
import { fetchJson, sendJson } from "./client";
import type { LayerInfo } from "./studies";

export type Selecting = { filter?: string | null; within?: Polygon | null; fids?: number[] | null };
export type LayerState = { layer: LayerInfo; undo: number };
const at = (study: string, layer: string, more = "") => `/studies/${study}/layers/${layer}${more}`;

export const layerState = (study: string, layer: string) => fetchJson<LayerState>(at(study, layer));
export const layerTable = (study: string, layer: string) => fetchJson<{ columns: Record<string, unknown[]>; count: number }>(at(study, layer, "/table"));
export const layerFeatures = (study: string, layer: string) => fetchJson<FeatureCollection>(`/studies/${study}/collections/${layer}/items?limit=10000`);
export const changeLayer = (study: string, layer: string, change: { role?: string; title?: string; key?: string }) =>
  sendJson<unknown>(at(study, layer), "PATCH", change);
export const dropLayer = (study: string, layer: string) => sendJson<unknown>(at(study, layer), "DELETE");
export const selectFeatures = (study: string, layer: string, wanted: Selecting) =>
  sendJson<{ count: number; fids: number[] }>(at(study, layer, "/select"), "POST", wanted);
export const keepSelection = (study: string, layer: string, fids: number[], title: string) =>
  sendJson<LayerState & { count: number }>(at(study, layer, "/keep"), "POST", { fids, title });
const over = (version: string) => ({ "If-Match": `"${version}"` });

export const computeField = (study: string, layer: string, version: string, name: string, expression: string, filter: string | null) =>
  sendJson<LayerState & { filled: number; empty: number }>(at(study, layer, "/fields"), "POST", { name, expression, filter }, over(version));
export const putValue = (study: string, layer: string, version: string, fid: number, field: string, value: unknown) =>
  sendJson<LayerState>(at(study, layer, "/values"), "PUT", { fid, field, value }, over(version));
export const undoLayer = (study: string, layer: string, version: string) => sendJson<LayerState & { undone: string }>(at(study, layer, "/undo"), "POST", {}, over(version));
