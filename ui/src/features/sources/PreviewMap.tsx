/** What is in a waiting file: classes that are off are faded, what lies outside the study area is veiled. */
import { t } from "@lingui/core/macro";
import type { Feature, FeatureCollection, Position } from "geojson";
import { Map as MapLibre, type ExpressionSpecification, type GeoJSONSource } from "maplibre-gl";
import { useEffect, useRef, useState } from "react";
import { boundsOf, type Area } from "../../api/uploads";
import { CLASS_WEIGHT, token } from "../../map/look";
import { exposeMap, metresPerPixel } from "../../map/scene";
import { EMPTY } from "../../map/style";
import { whileDrawing } from "../../map/whileDrawing";
import { useScreen, type ImportDraft } from "../../state/screen";
import { readingOf, usePreview } from "./waiting";

type Props = { draft: ImportDraft; onScale: (metresPerPixel: number) => void };

export default function PreviewMap({ draft, onScale }: Props) {
  const holder = useRef<HTMLDivElement>(null);
  const [map, setMap] = useState<MapLibre | null>(null);
  const { theme, drawing, draw } = useScreen("theme", "drawing", "draw");
  const { upload, without, area } = draft;
  const timetable = upload.timetable !== undefined;
  const crs = JSON.stringify(readingOf(draft));
  const bounds = boundsOf(upload);
  const streets = usePreview(draft);

  useEffect(() => {
    if (!holder.current || !bounds) return;
    const made = new MapLibre({
      container: holder.current,
      style: { version: 8, sources: {}, layers: [{ id: "ground", type: "background", paint: { "background-color": token("--ground") } }] },
      bounds,
      fitBoundsOptions: { padding: 24 },
      attributionControl: false,
      dragRotate: false,
      fadeDuration: 0,
    });
    made.getCanvas().setAttribute("aria-label", t`Map of the streets that came in. Arrow keys move it, plus and minus zoom.`);
    const forget = exposeMap(made);
    const report = () => onScale(metresPerPixel(made));
    made.on("move", report);
    report();
    made.once("load", () => setMap(made));
    return () => {
      setMap(null);
      forget();
      made.remove();
    };
    // One map per file and theme; bounds do not change for a file.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [upload.token, crs, theme]);

  useEffect(() => {
    if (!map || !streets) return;
    map.addSource("streets", { type: "geojson", data: streets, tolerance: 0.5 });
    map.addSource("veil", { type: "geojson", data: EMPTY });
    map.addLayer({ id: "ground-fill", type: "fill", source: "streets", filter: ["==", ["geometry-type"], "Polygon"], paint: { "fill-color": token("--place"), "fill-opacity": 0.1 } });
    map.addLayer({ id: "streets", type: "line", source: "streets", filter: ["!=", ["geometry-type"], "Point"], layout: { "line-cap": "round", "line-join": "round" } });
    map.addLayer({ id: "spots", type: "circle", source: "streets", filter: ["==", ["geometry-type"], "Point"], paint: { "circle-radius": 3.5, "circle-color": token("--page"), "circle-stroke-color": token("--place"), "circle-stroke-width": 1.6 } });
    map.addLayer({ id: "veil", type: "fill", source: "veil", filter: ["==", ["get", "veil"], true], paint: { "fill-color": token("--ground"), "fill-opacity": 0.78 } });
    map.addLayer({ id: "edge", type: "line", source: "veil", filter: ["!=", ["get", "veil"], true], paint: { "line-color": token("--thread"), "line-width": 2, "line-dasharray": [3, 1.6] } });
    return () => {
      for (const id of ["edge", "veil", "streets", "spots", "ground-fill"]) if (map.getLayer(id)) map.removeLayer(id);
      for (const id of ["veil", "streets"]) if (map.getSource(id)) map.removeSource(id);
    };
  }, [map, streets]);

  useEffect(() => {
    if (!map?.getLayer("streets")) return;
    const off: ExpressionSpecification = ["in", ["get", "class"], ["literal", without]];
    map.setPaintProperty("streets", "line-color", timetable ? token("--st-main") : ["case", off, token("--st-fade"), ["match", ["get", "class"], ...colours(), token("--st-minor")]]);
    map.setPaintProperty("streets", "line-width", timetable ? 1.6 : ["interpolate", ["linear"], ["zoom"], 11, ["*", 0.5, weight()], 16, ["*", 2, weight()]]);
  }, [map, streets, without, timetable]);

  useEffect(() => {
    if (!map?.getSource("veil")) return;
    void map.getSource<GeoJSONSource>("veil")?.setData(area ? veil(area) : EMPTY);
  }, [map, streets, area]);

  useEffect(() => {
    if (!map || !drawing) return;
    return whileDrawing(map, drawing.kind, (drawn) => {
      drawing.done(drawn);
      draw(null);
    });
  }, [map, drawing, draw]);

  return <div ref={holder} className="map" data-testid="preview" />;
}

/** Pairs of classes and colours for a match expression. */
function colours(): [string[], string, string[], string, string[], string] {
  const named = (from: number, to: number) => Object.keys(CLASS_WEIGHT).filter((name) => (CLASS_WEIGHT[name] ?? 1) >= from && (CLASS_WEIGHT[name] ?? 1) < to);
  return [named(3, 99), token("--st-main"), named(2, 3), token("--st-sec"), named(0, 1), token("--st-path")];
}

const weight = (): ExpressionSpecification => ["match", ["get", "class"], ...Object.entries(CLASS_WEIGHT).flat(), 1] as unknown as ExpressionSpecification;

/** Everything outside an area, and its edge. */
function veil(area: Area): FeatureCollection {
  const polygons: Position[][][] = area.type === "Polygon" ? [area.coordinates] : area.coordinates;
  const holes = polygons.map((rings) => rings[0] as Position[]);
  const world: Position[] = [[-180, -85], [180, -85], [180, 85], [-180, 85], [-180, -85]];
  const feature = (geometry: Feature["geometry"], properties: object): Feature => ({ type: "Feature", properties, geometry });
  return {
    type: "FeatureCollection",
    features: [feature({ type: "Polygon", coordinates: [world, ...holes] }, { veil: true }), feature(area, { veil: false })],
  };
}
