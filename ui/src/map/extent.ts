/** Where an answer lies, and whether a map shows it. */
import type { FeatureCollection, Position } from "geojson";
import type { Results } from "../api/client";

export type Box = [number, number, number, number];

/** The least part of an answer that must be in view, and of the map that it must take up, each way. */
const LEAST_IN_VIEW = 0.35;
const LEAST_SIZE = 0.25;

/** West, south, east, north of an answer; null where it has no geometry. */
export function extentOf(results: Results): Box | null {
  const parts = results as unknown as Record<string, FeatureCollection | undefined>;
  const { outline = [], layers = [] } = results.view.map ?? {};
  const part = [...outline, ...layers.map((layer) => layer.part)].map((name) => parts[name]).find((one) => one?.features?.some(({ geometry }) => geometry));
  return part ? boxOf(part) : null;
}

/** West, south, east, north of features; null where none has a geometry. */
export function boxOf({ features }: FeatureCollection): Box | null {
  const box: Box = [Infinity, Infinity, -Infinity, -Infinity];
  for (const { geometry } of features) {
    // Features without a place have null for a geometry, which the types of GeoJSON leave out.
    if (geometry as unknown) widen(box, (geometry as { coordinates: unknown }).coordinates);
  }
  return Number.isFinite(box[0]) ? box : null;
}

function widen(box: Box, coordinates: unknown): void {
  if (!Array.isArray(coordinates)) return;
  if (typeof coordinates[0] !== "number") return coordinates.forEach((inner) => widen(box, inner));
  const [x = 0, y = 0] = coordinates as Position;
  box[0] = Math.min(box[0], x);
  box[1] = Math.min(box[1], y);
  box[2] = Math.max(box[2], x);
  box[3] = Math.max(box[3], y);
}

/** Whether a box lies wholly in a view. */
export const within = (box: Box, view: Box): boolean => box[0] >= view[0] && box[1] >= view[1] && box[2] <= view[2] && box[3] <= view[3];

/** Whether an answer is seen well in a view: not as a speck, and much of it inside; `whole` asks for most of it, however near one has gone. */
export function isSeen(answer: Box, view: Box, whole = false): boolean {
  const overlap = (i: 0 | 1) => Math.min(answer[i + 2] ?? 0, view[i + 2] ?? 0) - Math.max(answer[i] ?? 0, view[i] ?? 0);
  const size = (box: Box, i: 0 | 1) => Math.max((box[i + 2] ?? 0) - (box[i] ?? 0), 1e-9);
  const inView = ([0, 1] as const).every((i) => overlap(i) >= LEAST_IN_VIEW * (whole ? size(answer, i) : Math.min(size(answer, i), size(view, i))));
  return inView && ([0, 1] as const).some((i) => size(answer, i) >= LEAST_SIZE * size(view, i));
}
