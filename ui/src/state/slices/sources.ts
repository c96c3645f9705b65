/** What comes in, and the layer that is looked at. */
import type { Area, Upload, Reading } from "../../api/uploads";
import type { MapView } from "./mapView";
import type { Slice } from "./slice";

/** A file under consideration, and what of it is wanted: what is off is off for good. Set `importing` while a job takes it in. */
export type ImportDraft = { upload: Upload; without: string[]; area: Area | null; importing?: boolean } & Reading;

export type Sources = {
  /** Files that were dropped and not looked into yet. */
  queue: File[];
  draft: ImportDraft | null;
  /** The layer that is looked at, and which of its features are selected. */
  layer: string | null;
  chosen: number[];
  enqueue: (files: File[]) => void;
  /** The first file of the queue was looked into; null where it could not be. */
  consider: (upload: Upload | null) => void;
  refineDraft: (part: Partial<ImportDraft>) => void;
  closeDraft: () => void;
  lookAtLayer: (layer: string | null) => void;
  choose: (chosen: number[]) => void;
};

export const NO_LAYER = { layer: null, chosen: [] } satisfies Partial<Sources>;

export const sources: Slice<Sources, Pick<MapView, "drawing">> = (set) => ({
  ...NO_LAYER,
  queue: [],
  draft: null,
  enqueue: (files) => set(({ queue }) => ({ queue: [...queue, ...files] })),
  consider: (upload) => set(({ queue, draft }) => ({ queue: queue.slice(1), draft: upload ? { upload, without: [], area: null } : draft })),
  refineDraft: (part) => set(({ draft }) => (draft ? { draft: { ...draft, ...part } } : {})),
  closeDraft: () => set({ draft: null, drawing: null }),
  lookAtLayer: (layer) => set({ layer, chosen: [], drawing: null }),
  choose: (chosen) => set({ chosen }),
});
