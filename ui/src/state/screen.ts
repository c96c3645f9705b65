/** What the screen shows, in slices by idea; every change is a named one. The study itself lives on the server. */
import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";
import { edits, NO_EDIT, type EditState } from "./slices/edits";
import { FIRST_SHEET, frame, STAGES, type Frame, type Stage } from "./slices/frame";
import { mapView, NOTHING_ON_MAP, type MapView } from "./slices/mapView";
import { handout, NO_PAPER, type HandoutState } from "./slices/handout";
import { moments, NO_MOMENT, type Moments } from "./slices/moments";
import { modes, type Modes } from "./slices/modes";
import { NO_QUESTION, questions, type Questions } from "./slices/questions";
import { NO_LAYER, sources, type Sources } from "./slices/sources";

export type { Frame, Stage, Theme } from "./slices/frame";
export type { Colour } from "./slices/modes";
export type { ImportDraft } from "./slices/sources";
export { FIRST_SHEET, STAGES };

export type Screen = Frame & Questions & MapView & Sources & Modes & Moments & EditState & HandoutState & { cancel: () => void };

export const screenStore = create<Screen>()((set) => ({
  ...frame(set),
  ...questions(set),
  ...mapView(set),
  ...sources(set),
  ...modes(set),
  ...moments(set),
  ...edits(set),
  ...handout(set),
  /** End what waits for the map, and close what lies over it. */
  cancel: () => set({ editing: null, picking: null, street: null, drawing: null, measuring: null, sketch: null, ghosts: null }),
}));

/** The state and its actions, outside a component. */
export const screenNow = (): Screen => screenStore.getState();

/** Some members of the screen. Whoever uses it is drawn again when one of those changes, and no other. */
export function useScreen<K extends keyof Screen>(...names: K[]): Pick<Screen, K> {
  return screenStore(useShallow((screen) => Object.fromEntries(names.map((name) => [name, screen[name]])) as Pick<Screen, K>));
}

/** A value derived from the screen. */
export const useScreenValue = <T>(select: (screen: Screen) => T): T => screenStore(select);

/** The theme is set on the document at once, before anything reads a token of it. */
function applyTheme({ theme }: Screen): void {
  document.documentElement.dataset.theme = theme;
  try {
    localStorage.setItem("awl-theme", theme);
  } catch {
    // The theme is not kept where the browser forbids it.
  }
}
applyTheme(screenNow());
screenStore.subscribe(applyTheme);

/** Read study, stage and sheet from the address, `#/ferrow/sheet/second_try`. What belongs to a study does not outlive it. */
export function followAddress(): void {
  const [, id, stage, open] = location.hash.slice(1).split("/");
  const study = id ? decodeURIComponent(id) : null;
  const sheet = open ? decodeURIComponent(open) : FIRST_SHEET;
  const known = STAGES.find((name) => name === stage);
  const changed = study !== screenNow().study;
  const turned = sheet !== screenNow().sheet;
  screenStore.setState({
    ...(changed ? { ...NO_QUESTION, ...NO_MOMENT, ...NOTHING_ON_MAP, ...NO_LAYER, ...NO_EDIT, ...NO_PAPER } : turned ? { ...NO_QUESTION, ...NO_MOMENT, ...NO_PAPER } : {}),
    study,
    sheet,
    stage: known ?? "sheet",
    notice: null,
    street: null,
    picking: null,
    drawing: null,
    sketch: null,
    ghosts: null,
  });
}

/** The address of a stage with a sheet of a study, after the `#`. */
export const addressOf = (study: string, stage: Stage, sheet: string) => `/${encodeURIComponent(study)}/${stage}${sheet === FIRST_SHEET ? "" : `/${encodeURIComponent(sheet)}`}`;

/** Go to a stage of a study, with the sheet that is open or another one. */
export function go(study: string | null, stage: Stage = "sheet", sheet = study === screenNow().study ? screenNow().sheet : FIRST_SHEET): void {
  location.hash = study ? addressOf(study, stage, sheet) : "/";
}
