/** Drawing an area on a map: two corners of a box, or the corners of an outline. */
import type { Feature, Polygon } from "geojson";
import type { Map as MapLibre } from "maplibre-gl";
import { TerraDraw, TerraDrawPolygonMode, TerraDrawRectangleMode } from "terra-draw";
import { TerraDrawMapLibreGLAdapter } from "terra-draw-maplibre-gl-adapter";
import { token } from "./look";

/** Let the user draw; `done` gets the area, and drawing ends. Returns how to give up. */
export function drawArea(map: MapLibre, kind: "box" | "outline", done: (area: Polygon) => void): () => void {
  const colour = token("--thread") as `#${string}`;
  const styles = { fillColor: colour, fillOpacity: 0.08, outlineColor: colour, outlineWidth: 2 };
  const draw = new TerraDraw({
    adapter: new TerraDrawMapLibreGLAdapter({ map }),
    modes: [new TerraDrawRectangleMode({ styles }), new TerraDrawPolygonMode({ styles: { ...styles, closingPointColor: colour } })],
  });
  let over = false;
  const stop = () => {
    if (over) return;
    over = true;
    draw.stop();
    map.getCanvas().style.cursor = "";
  };
  draw.start();
  draw.setMode(kind === "box" ? "rectangle" : "polygon");
  map.getCanvas().style.cursor = "crosshair";
  draw.on("finish", (id) => {
    const drawn = draw.getSnapshotFeature(id) as Feature<Polygon> | undefined;
    // The library is in the middle of its own event: it is stopped after it.
    queueMicrotask(() => {
      stop();
      if (drawn) done({ type: "Polygon", coordinates: drawn.geometry.coordinates });
    });
  });
  return stop;
}
