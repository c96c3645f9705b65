/** Editing streets: where edits go, what is being drawn, and what would change. */
import type { FeatureCollection } from "geojson";
import type { Position } from "../../api/edits";
import type { MapView } from "./mapView";
import type { Street } from "../../api/studies";
import type { Slice } from "./slice";

/** What a corner does: it meets a junction, breaks a street, or stands free. */
export type Snap = { at: Position; on: "node" | "street" | "free" };
/** What is being drawn: a street by its corners, with its tags, or a line of public transport by its stops. */
export type Sketch = { of: "street" | "line"; corners: Snap[]; hover: Snap | null; tags: Record<string, string> };

/** An act of two clicks on the map: what it does, and the street and place of the first click. */
export type TwoClickAct = "move" | "join" | "bar" | "barrier";
export type Aimed = { street: Street; at: Position; reach: number };
export type Aim = { act: TwoClickAct; first: Aimed | null };

export type EditState = {
  /** The what-if that edits go to; null for the streets themselves. */
  scope: string | null;
  /** The street or line that is being drawn. */
  sketch: Sketch | null;
  /** What would be put in or changed, shown before it is done. */
  ghosts: FeatureCollection | null;
  /** An act that waits for clicks on the map. */
  aim: Aim | null;
  /** The click that was made last for it, until it is taken. */
  aimed: Aimed | null;
  /** What a what-if opens waits for a click: told where it was. */
  placing: ((at: Position) => void) | null;
  /** The streets are shown without the what-if for as long as a key is held. */
  peeking: boolean;
  /** The question whose reach is shown while streets are edited. */
  reachOf: string | null;
  setScope: (scope: string | null) => void;
  beginSketch: (of: Sketch["of"]) => void;
  /** Say what the street that is drawn is. */
  tagSketch: (tags: Record<string, string>) => void;
  hoverSketch: (hover: Snap | null) => void;
  addCorner: (corner: Snap) => void;
  takeCornerBack: () => void;
  endSketch: () => void;
  setAim: (aim: Aim | null) => void;
  clickAim: (aimed: Aimed) => void;
  takeAimed: () => void;
  setPlacing: (placing: ((at: Position) => void) | null) => void;
  peek: (peeking: boolean) => void;
  showGhosts: (ghosts: FeatureCollection | null) => void;
  showReachOf: (question: string | null) => void;
};

export const NO_EDIT = { scope: null, sketch: null, ghosts: null, reachOf: null, aim: null, aimed: null, placing: null, peeking: false } satisfies Partial<EditState>;

export const edits: Slice<EditState, Pick<MapView, "street" | "finding">> = (set) => ({
  ...NO_EDIT,
  setScope: (scope) => set({ scope, sketch: null, ghosts: null, street: null, aim: null, placing: null }),
  beginSketch: (of) => set({ sketch: { of, corners: [], hover: null, tags: {} }, street: null, aim: null }),
  tagSketch: (tags) => set(({ sketch }) => (sketch ? { sketch: { ...sketch, tags } } : {})),
  hoverSketch: (hover) => set(({ sketch }) => (sketch ? { sketch: { ...sketch, hover } } : {})),
  addCorner: (corner) =>
    set(({ sketch }) => {
      if (!sketch) return {};
      // A second click at one place, as of those who end a line by a double click, is no corner.
      const last = sketch.corners.at(-1)?.at;
      const again = last?.[0] === corner.at[0] && last[1] === corner.at[1];
      return { sketch: { ...sketch, corners: again ? sketch.corners : [...sketch.corners, corner], hover: null } };
    }),
  takeCornerBack: () => set(({ sketch }) => (sketch ? { sketch: { ...sketch, corners: sketch.corners.slice(0, -1) } } : {})),
  endSketch: () => set({ sketch: null }),
  setAim: (aim) => set({ aim, aimed: null, sketch: null, street: null }),
  clickAim: (aimed) => set({ aimed }),
  takeAimed: () => set({ aimed: null }),
  setPlacing: (placing) => set({ placing }),
  peek: (peeking) => set({ peeking }),
  showGhosts: (ghosts) => set({ ghosts }),
  showReachOf: (reachOf) => set({ reachOf }),
});
