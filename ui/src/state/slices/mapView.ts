/** The map on the screen: what is hidden, where it looks, and what is measured or drawn on it. */
import type { Feature, Polygon } from "geojson";
import type { Street } from "../../api/studies";
import type { Frame } from "./frame";
import type { Slice } from "./slice";

type Position = [number, number];
/** What is being drawn on the map. */
export type Drawing = { kind: "box" | "outline"; done: (area: Polygon) => void };

/** Lines of public transport with their departures in an hour, and that hour in words; stops stand beside them. */
export type Frequencies = { lines: Feature[]; stops: Feature[]; words: string };

export type MapView = {
  /** Rows of the legend that are switched off. */
  hidden: Record<string, boolean>;
  /** How opaque the areas of answers are, from a fifth to 1. */
  opacity: number;
  /** The street that was clicked. */
  street: Street | null;
  /** The fault of the streets that is looked at. */
  finding: Feature | null;
  /** All that a check found of the kinds that are looked at. */
  findings: Feature[] | null;
  frequencies: Frequencies | null;
  /** The itinerary that is played along its way. */
  playing: number | null;
  /** The attribute lettered along links. */
  label: string | null;
  drawing: Drawing | null;
  /** Corners of the line that is measured; null while nothing is. */
  measuring: Position[] | null;
  /** Where the map is to look next. */
  goTo: Position | null;
  /** Brings the map back to where it was before it went to an answer; null where it did not. */
  goBack: (() => void) | null;
  toggle: (key: string) => void;
  unhide: (...keys: string[]) => void;
  setOpacity: (opacity: number) => void;
  showStreet: (street: Street | null, notice?: string | null) => void;
  showFinding: (finding: Feature | null) => void;
  showFindings: (findings: Feature[] | null) => void;
  showFrequencies: (frequencies: Frequencies | null) => void;
  play: (itinerary: number | null) => void;
  letter: (field: string | null) => void;
  draw: (drawing: Drawing | null) => void;
  /** Measure from a corner on; without one, begin anew. */
  measure: (corner?: Position) => void;
  lookAt: (place: Position | null) => void;
  setWayBack: (goBack: (() => void) | null) => void;
};

export const NOTHING_ON_MAP = { street: null, finding: null, findings: null, frequencies: null, playing: null, label: null, drawing: null, measuring: null } satisfies Partial<MapView>;

export const mapView: Slice<MapView, Pick<Frame, "notice">> = (set) => ({
  ...NOTHING_ON_MAP,
  hidden: { numbers: true, "link-numbers": true, unserved: true },
  opacity: 1,
  goTo: null,
  goBack: null,
  toggle: (key) => set(({ hidden }) => ({ hidden: { ...hidden, [key]: !hidden[key] } })),
  unhide: (...keys) => set(({ hidden }) => ({ hidden: { ...hidden, ...Object.fromEntries(keys.map((key) => [key, false])) } })),
  setOpacity: (opacity) => set({ opacity }),
  showStreet: (street, notice = null) => set({ street, notice }),
  showFindings: (findings) => set({ findings }),
  showFrequencies: (frequencies) => set({ frequencies }),
  play: (playing) => set({ playing }),
  showFinding: (finding) => set({ finding, ...(finding ? { goTo: placeOf(finding) } : {}) }),
  letter: (label) => set({ label }),
  draw: (drawing) => set({ drawing }),
  measure: (corner) => set(({ measuring }) => ({ measuring: corner ? [...(measuring ?? []), corner] : [] })),
  lookAt: (goTo) => set({ goTo }),
  setWayBack: (goBack) => set({ goBack }),
});

/** Where a finding is: its point, or where its gap begins. */
function placeOf({ geometry }: Feature): Position | null {
  if (geometry.type === "Point") return geometry.coordinates as Position;
  return geometry.type === "LineString" ? (geometry.coordinates[0] as Position) : null;
}
