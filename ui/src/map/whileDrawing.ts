/** Drawing on a map; what it takes is loaded when somebody first draws. */
import type { Polygon } from "geojson";
import type { Map as MapLibre } from "maplibre-gl";

/** Let the user draw; `done` gets the area. Returns how to give up. */
export function whileDrawing(map: MapLibre, kind: "box" | "outline", done: (area: Polygon) => void): () => void {
  let stop: (() => void) | null = null;
  let over = false;
  void import("./drawing").then(({ drawArea }) => {
    if (!over) stop = drawArea(map, kind, done);
  });
  return () => {
    over = true;
    stop?.();
  };
}
