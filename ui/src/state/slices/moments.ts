/** The moment of the day that map, ruler and charts show together, and how time is played. */
import type { Slice } from "./slice";

/** Minutes of the day that pass in a second of playing. */
export const PACES = [0.5, 1, 2, 5, 10] as const;

export type Moments = {
  /** Minutes since midnight; null before anything was played or looked at. */
  moment: number | null;
  running: boolean;
  pace: number;
  /** Whether playing begins anew at the end. */
  loops: boolean;
  lookAtMoment: (moment: number | null) => void;
  runTime: (running: boolean) => void;
  setPace: (pace: number) => void;
  setLoops: (loops: boolean) => void;
};

export const NO_MOMENT = { moment: null, running: false } satisfies Partial<Moments>;

export const moments: Slice<Moments> = (set) => ({
  ...NO_MOMENT,
  pace: 2,
  loops: false,
  lookAtMoment: (moment) => set({ moment }),
  runTime: (running) => set({ running }),
  setPace: (pace) => set({ pace }),
  setLoops: (loops) => set({ loops }),
});
