/** The stage Modes: which mode is looked at, at which hour, and by what its streets are coloured. */
import type { MapView } from "./mapView";
import type { Slice } from "./slice";

export type Colour = "use" | "speed" | "source" | "slope" | "delay" | "beside";

export type Modes = {
  mode: string;
  /** What the streets are coloured by. */
  colour: Colour;
  /** The mode that is looked at beside the chosen one. */
  beside: string | null;
  /** The hour shown, null for free flow. */
  at: string | null;
  selectMode: (mode: string) => void;
  colourBy: (colour: Colour) => void;
  setBeside: (mode: string | null) => void;
  setHour: (at: string | null) => void;
};

export const modes: Slice<Modes, Pick<MapView, "street">> = (set) => ({
  mode: "walk",
  colour: "use",
  beside: null,
  at: null,
  selectMode: (mode) => set({ mode, street: null }),
  colourBy: (colour) => set({ colour }),
  setBeside: (beside) => set({ beside }),
  setHour: (at) => set({ at, street: null }),
});
