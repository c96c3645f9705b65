/** In which order the things on the map lie over one another, and how an answer may have them otherwise. */
import { t } from "@lingui/core/macro";
import type { MapContent } from "./content";

/** What can be put over or under something else, topmost first as it is drawn by itself; and the layers each is drawn by, lowest first. */
const DRAWN = {
  places: { title: "places", layers: ["dots", "places", "graded"] },
  other: { title: t`other answer`, layers: ["overlaid-case", "overlaid"] },
  ways: { title: "ways", layers: ["route-case", "routes", "routes-second", "approaches"] },
  contours: { title: "contours", layers: ["contours", "contour-names"] },
  load: { title: t`marked streets`, layers: ["owned"] },
  streets: { title: "streets", layers: ["streets"] },
  water: { title: "water", layers: ["water", "water-edge"] },
  found: { title: "found", layers: ["found", "found-edge"] },
  buildings: { title: "buildings", layers: ["building"] },
  zones: { title: "zones", layers: ["zones", "zone-edges"] },
  areas: { title: "areas", layers: ["areas"] },
} as const;
export type Drawn = keyof typeof DRAWN;

/** Names on the base map. */
const LETTERING = ["street-names", "river-names", "peak-names", "place-names", "city-names"];
const ALL = Object.keys(DRAWN) as Drawn[];
const isDrawn = (name: string): name is Drawn => name in DRAWN;
export const drawnTitle = (name: Drawn): string => DRAWN[name].title;

/** Everything there is, topmost first: what an answer has put in order, the rest where it lies by itself. */
export function wholeOrder(order: readonly string[]): Drawn[] {
  const whole = order.filter(isDrawn);
  for (const [i, name] of ALL.entries()) {
    if (whole.includes(name)) continue;
    // Right under what it lies under by itself.
    const above = ALL.slice(0, i).findLast((one) => whole.includes(one));
    whole.splice(above ? whole.indexOf(above) + 1 : 0, 0, name);
  }
  return whole;
}

/** Of everything there is, what is on the map now. */
export function present({ overlays, dots }: Pick<MapContent, "overlays" | "dots">, ground: (layer: string) => boolean): Drawn[] {
  const filled = (name: keyof typeof overlays) => (overlays[name]?.features.length ?? 0) > 0;
  const there: Record<Drawn, boolean> = {
    places: filled("places") || filled("graded") || dots !== null,
    other: filled("overlaid"),
    ways: filled("routes"),
    contours: filled("contours"),
    load: filled("owned"),
    streets: true,
    water: ground("water"),
    found: filled("found"),
    buildings: ground("building"),
    zones: filled("zones"),
    areas: filled("areas"),
  };
  return ALL.filter((name) => there[name]);
}

/** The order once `name` has gone up or down past the next thing that is on the map. */
export function moved(order: readonly string[], shown: readonly Drawn[], name: Drawn, by: 1 | -1): Drawn[] {
  const whole = wholeOrder(order);
  const seen = whole.filter((one) => shown.includes(one));
  const past = seen[seen.indexOf(name) + by];
  if (!past) return whole;
  const rest = whole.filter((one) => one !== name);
  rest.splice(rest.indexOf(past) + (by > 0 ? 1 : 0), 0, name);
  return rest;
}

/** The layers of a style, lowest first, as an order has them: those that can be moved share their places out anew. */
export function layersInOrder(ids: readonly string[], order: readonly string[]): string[] {
  const wanted = wholeOrder(order).reverse().flatMap((name): readonly string[] => DRAWN[name].layers);
  const movable = wanted.filter((id) => ids.includes(id));
  let next = 0;
  const laid = ids.map((id) => (movable.includes(id) ? (movable[next++] ?? id) : id));
  if (wholeOrder(order)[0] === "places") return laid;
  // What was put on top of places would cover the lettering, which lies just under them.
  const top = laid.lastIndexOf(movable[movable.length - 1] ?? "");
  const letters = laid.slice(0, top).filter((id) => LETTERING.includes(id));
  return [...laid.slice(0, top + 1).filter((id) => !letters.includes(id)), ...letters, ...laid.slice(top + 1)];
}
