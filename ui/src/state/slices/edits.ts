/** Editing streets: where edits go, what is being drawn, and what would change. */
import type { FeatureCollection } from "geojson";
import type { Position } from "../../api/edits";
import type { MapView } from "./mapView";
import type { Slice } from "./slice";

/** What a corner does: it meets a junction, breaks a street, or stands free. */
export type Snap = { at: Position; on: "node" | "street" | "free" };
export type Sketch = { corners: Snap[]; hover: Snap | null };

export type EditState = {
  /** The what-if that edits go to; null for the streets themselves. */
  scope: string | null;
  /** The street that is being drawn. */
  sketch: Sketch | null;
  /** What would be put in or changed, shown before it is done. */
  ghosts: FeatureCollection | null;
  /** The question whose reach is shown while streets are edited. */
  reachOf: string | null;
  setScope: (scope: string | null) => void;
  beginSketch: () => void;
  hoverSketch: (hover: Snap | null) => void;
  addCorner: (corner: Snap) => void;
  takeCornerBack: () => void;
  endSketch: () => void;
  showGhosts: (ghosts: FeatureCollection | null) => void;
  showReachOf: (question: string | null) => void;
};

export const NO_EDIT = { scope: null, sketch: null, ghosts: null, reachOf: null } satisfies Partial<EditState>;

export const edits: Slice<EditState, Pick<MapView, "street" | "finding">> = (set) => ({
  ...NO_EDIT,
  setScope: (scope) => set({ scope, sketch: null, ghosts: null, street: null }),
  beginSketch: () => set({ sketch: { corners: [], hover: null }, street: null }),
  hoverSketch: (hover) => set(({ sketch }) => (sketch ? { sketch: { ...sketch, hover } } : {})),
  addCorner: (corner) => set(({ sketch }) => (sketch ? { sketch: { corners: [...sketch.corners, corner], hover: null } } : {})),
  takeCornerBack: () => set(({ sketch }) => (sketch ? { sketch: { ...sketch, corners: sketch.corners.slice(0, -1) } } : {})),
  endSketch: () => set({ sketch: null }),
  showGhosts: (ghosts) => set({ ghosts }),
  showReachOf: (reachOf) => set({ reachOf }),
});
