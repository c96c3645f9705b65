/** The base map in ink on paper, from the study's own vector tiles. */
import type { FeatureCollection } from "geojson";
import type { ExpressionSpecification, LayerSpecification, StyleSpecification } from "maplibre-gl";
import { token } from "./look";

const BASE = ["water", "field", "sand", "green", "building", "rail", "river", "place"] as const;
export const EMPTY = { type: "FeatureCollection" as const, features: [] };
/* Glyphs are drawn from fonts the page declares (fonts.css); a name must be one CSS word, and tells weight and style. */
const SERIF = ["AwlSerif-Italic"];
const SERIF_BOLD = ["AwlSerif-Semibold"];
const SANS = ["AwlSans-Regular"];
const SANS_MEDIUM = ["AwlSans-Medium"];

/** Sources of answers, empty until one is shown. */
const OVERLAYS = ["areas", "contours", "contour-names", "zones", "routes", "approaches", "owned", "places", "ends", "nodes", "found", "graded", "overlaid", "layer", "parts", "changes", "faults", "letters", "selection"] as const;
export type Overlay = (typeof OVERLAYS)[number];
export type Overlays = Partial<Record<Overlay, FeatureCollection>>;
export const isOverlay = (source: string): source is Overlay => (OVERLAYS as readonly string[]).includes(source);

export const tilesOf = (study: string, revision: string) => (layer: string) =>
  `${location.origin}/studies/${study}/collections/${layer}/tiles/WebMercatorQuad/{z}/{y}/{x}?v=${revision}`;

export function baseStyle(study: string, revision: string, has: (layer: string) => boolean): StyleSpecification {
  const tiles = tilesOf(study, revision);
  const sources: StyleSpecification["sources"] = {};
  for (const layer of BASE) {
    if (has(layer)) sources[layer] = { type: "vector", tiles: [tiles(layer)], minzoom: layer === "building" ? 14 : 8, maxzoom: 15 };
  }
  sources.names = { type: "vector", tiles: [tiles("streets")], minzoom: 11, maxzoom: 15 };
  for (const name of OVERLAYS) sources[name] = { type: "geojson", data: EMPTY };
  return { version: 8, sources, layers: layers(has) };
}

/** How opaque the areas of answers are drawn; the legend takes a share of it. */
export const AREA_OPACITY: Record<string, ExpressionSpecification | number> = {
  areas: ["coalesce", ["get", "opacity"], 0.94],
  zones: 0.82,
  found: ["get", "opacity"],
};

/** All layers, bottom to top; streets are put in below `owned`, dots by the thousand below the lettering. */
function layers(has: (layer: string) => boolean): LayerSpecification[] {
  const halo = { "text-halo-color": token("--halo"), "text-halo-width": 1.6 };
  const list: (LayerSpecification & { source?: string })[] = [
    { id: "ground", type: "background", paint: { "background-color": token("--ground") } },
    { id: "field", type: "fill", source: "field", "source-layer": "field", paint: { "fill-color": token("--field"), "fill-outline-color": token("--field-edge") } },
    { id: "sand", type: "fill", source: "sand", "source-layer": "sand", paint: { "fill-color": token("--sand") } },
    { id: "green", type: "fill", source: "green", "source-layer": "green", paint: { "fill-color": token("--green"), "fill-outline-color": token("--green-edge") } },
    { id: "areas", type: "fill", source: "areas", paint: { "fill-color": ["get", "fill"], "fill-opacity": AREA_OPACITY.areas ?? 1 } },
    { id: "zones", type: "fill", source: "zones", paint: { "fill-color": ["get", "fill"], "fill-opacity": AREA_OPACITY.zones ?? 1 } },
    { id: "building", type: "fill", source: "building", "source-layer": "building", minzoom: 15, paint: { "fill-color": token("--building"), "fill-outline-color": token("--building-edge"), "fill-opacity": 0.75 } },
    { id: "found", type: "fill", source: "found", paint: { "fill-color": ["get", "fill"], "fill-opacity": AREA_OPACITY.found ?? 1 } },
    { id: "found-edge", type: "line", source: "found", paint: { "line-color": ["get", "edge"], "line-width": 1 } },
    { id: "water", type: "fill", source: "water", "source-layer": "water", paint: { "fill-color": token("--water") } },
    { id: "water-edge", type: "line", source: "water", "source-layer": "water", paint: { "line-color": token("--water-edge"), "line-width": 1 } },
    { id: "rail", type: "line", source: "rail", "source-layer": "rail", paint: { "line-color": token("--st-sec"), "line-width": 1, "line-dasharray": [7, 3] } },
    { id: "owned", type: "line", source: "owned", layout: { "line-cap": "round" }, paint: { "line-color": ["get", "colour"], "line-width": ["interpolate", ["linear"], ["zoom"], 12, ["*", ["coalesce", ["get", "thick"], 1], ["coalesce", ["get", "width"], 1]], 16, ["*", 3, ["coalesce", ["get", "thick"], 1], ["coalesce", ["get", "width"], 1]]] } },
    { id: "contours", type: "line", source: "contours", paint: { "line-color": ["get", "line"], "line-width": ["coalesce", ["get", "width"], 1.2] } },
    { id: "zone-edges", type: "line", source: "zones", paint: { "line-color": token("--page"), "line-width": 1.4 } },
    { id: "route-case", type: "line", source: "routes", layout: { "line-cap": "round", "line-join": "round" }, paint: { "line-color": token("--page"), "line-width": ["+", 3.5, ["*", 4.5, ["coalesce", ["get", "thick"], 1]]] } },
    { id: "routes", type: "line", source: "routes", filter: ["!=", ["get", "second"], true], layout: { "line-cap": "round", "line-join": "round" }, paint: { "line-color": ["get", "colour"], "line-width": ["*", 4.5, ["coalesce", ["get", "thick"], 1]] } },
    { id: "routes-second", type: "line", source: "routes", filter: ["==", ["get", "second"], true], layout: { "line-join": "round" }, paint: { "line-color": ["get", "colour"], "line-width": ["*", 3.5, ["coalesce", ["get", "thick"], 1]], "line-dasharray": [2, 1.4] } },
    { id: "approaches", type: "line", source: "approaches", layout: { "line-cap": "round" }, paint: { "line-color": ["get", "colour"], "line-width": 2, "line-dasharray": [0.1, 2] } },
    { id: "overlaid-case", type: "line", source: "overlaid", paint: { "line-color": token("--page"), "line-width": 5, "line-opacity": 0.7 } },
    { id: "overlaid", type: "line", source: "overlaid", paint: { "line-color": ["get", "colour"], "line-width": ["*", 2.4, ["coalesce", ["get", "thick"], 1]], "line-dasharray": [4, 1.6] } },
    { id: "parts-case", type: "line", source: "parts", paint: { "line-color": token("--page"), "line-width": 7 } },
    { id: "parts", type: "line", source: "parts", paint: { "line-color": ["get", "colour"], "line-width": ["case", ["get", "used"], 3, 2.4] } },
    // Short strokes across the street: hatched.
    { id: "changes", type: "line", source: "changes", filter: ["!", ["get", "gone"]], paint: { "line-color": ["get", "colour"], "line-width": ["interpolate", ["linear"], ["zoom"], 12, 6, 16, 13], "line-dasharray": [0.16, 0.3], "line-opacity": 0.9 } },
    { id: "changes-gone", type: "line", source: "changes", filter: ["get", "gone"], paint: { "line-color": ["get", "colour"], "line-width": 2, "line-dasharray": [1, 2] } },
    { id: "faults", type: "circle", source: "faults", paint: { "circle-radius": ["interpolate", ["linear"], ["zoom"], 11, 2.6, 15, 5], "circle-color": token("--page"), "circle-stroke-color": ["get", "colour"], "circle-stroke-width": 1.8 } },
    { id: "layer-fill", type: "fill", source: "layer", filter: ["==", ["geometry-type"], "Polygon"], paint: { "fill-color": ["case", ["get", "chosen"], token("--thread"), token("--place")], "fill-opacity": ["case", ["get", "chosen"], 0.3, 0.1] } },
    { id: "layer-line", type: "line", source: "layer", filter: ["!=", ["geometry-type"], "Point"], paint: { "line-color": ["case", ["get", "chosen"], token("--thread"), token("--place")], "line-width": ["case", ["get", "chosen"], 2.6, 1.2] } },
    { id: "layer-point", type: "circle", source: "layer", filter: ["==", ["geometry-type"], "Point"], paint: { "circle-radius": ["case", ["get", "chosen"], 7, 5], "circle-color": ["case", ["get", "chosen"], token("--thread"), token("--page")], "circle-stroke-color": ["case", ["get", "chosen"], token("--thread"), token("--place")], "circle-stroke-width": 2 } },
    { id: "layer-names", type: "symbol", source: "layer", minzoom: 13, layout: { "text-field": ["coalesce", ["get", "lettering"], ""], "text-font": SANS_MEDIUM, "text-size": 11.5, "text-offset": [0, 1], "text-anchor": "top", "text-padding": 3 }, paint: { "text-color": token("--ink"), ...halo } },
    { id: "nodes", type: "circle", source: "nodes", minzoom: 15, filter: ["!", ["get", "border"]], paint: { "circle-radius": 3, "circle-color": token("--page"), "circle-stroke-color": token("--ink"), "circle-stroke-width": 1.2 } },
    { id: "border-nodes", type: "symbol", source: "nodes", filter: ["get", "border"], layout: { "icon-image": "border", "icon-allow-overlap": true, "icon-size": ["interpolate", ["linear"], ["zoom"], 12, 0.4, 15.5, 1] } },
    { id: "selection-case", type: "line", source: "selection", paint: { "line-color": token("--page"), "line-width": 6 } },
    { id: "selection", type: "line", source: "selection", paint: { "line-color": token("--thread"), "line-width": 2.6, "line-dasharray": [3, 1.6] } },
    { id: "contour-names", type: "symbol", source: "contour-names", layout: { "symbol-placement": "line", "text-field": ["get", "label"], "text-font": SANS_MEDIUM, "text-size": 11.5, "symbol-spacing": 330, "text-max-angle": 45, "text-padding": 14 }, paint: { "text-color": ["get", "line"], ...halo } },
    { id: "street-names", type: "symbol", source: "names", "source-layer": "streets", minzoom: 14, layout: { "symbol-placement": "line", "text-field": ["get", "name"], "text-font": SANS, "text-size": ["interpolate", ["linear"], ["zoom"], 14, 11, 17, 12.5], "symbol-spacing": 380, "text-max-angle": 32, "text-padding": 6 }, paint: { "text-color": token("--ink-2"), ...halo } },
    { id: "river-names", type: "symbol", source: "river", "source-layer": "river", layout: { "symbol-placement": "line", "text-field": ["get", "name"], "text-font": SERIF, "text-size": 15, "text-letter-spacing": 0.08, "symbol-spacing": 500 }, paint: { "text-color": token("--water-text"), "text-halo-color": token("--water"), "text-halo-width": 1 } },
    { id: "peak-names", type: "symbol", source: "place", "source-layer": "place", filter: ["==", ["get", "kind"], "locality"], minzoom: 12.2, layout: { "text-field": ["concat", "\u25b3 ", ["get", "name"]], "text-font": SERIF, "text-size": 12.5, "text-padding": 6 }, paint: { "text-color": token("--ink-2"), ...halo } },
    { id: "place-names", type: "symbol", source: "place", "source-layer": "place", filter: ["match", ["get", "kind"], ["city", "locality"], false, true], minzoom: 11.3, layout: { "text-field": ["get", "name"], "text-font": SERIF, "text-size": ["interpolate", ["linear"], ["zoom"], 11.3, 12, 13.5, 15], "text-padding": 8 }, paint: { "text-color": token("--ink"), ...halo } },
    { id: "city-names", type: "symbol", source: "place", "source-layer": "place", filter: ["==", ["get", "kind"], "city"], maxzoom: 13, layout: { "text-field": ["get", "name"], "text-font": SERIF_BOLD, "text-size": 18, "text-letter-spacing": 0.04 }, paint: { "text-color": token("--ink"), ...halo } },
    { id: "places", type: "symbol", source: "places", layout: { "icon-image": ["case", ["get", "used"], "button", "button-out"], "icon-allow-overlap": true, "text-field": ["get", "name"], "text-font": SANS_MEDIUM, "text-size": 12, "text-anchor": "left", "text-offset": [0.95, 0], "text-optional": true, "text-padding": 3 }, paint: { "text-color": token("--ink"), ...halo } },
    { id: "graded", type: "circle", source: "graded", paint: { "circle-radius": ["get", "radius"], "circle-color": ["get", "colour"], "circle-stroke-color": ["case", ["get", "chosen"], token("--thread"), token("--ink")], "circle-stroke-width": ["case", ["get", "chosen"], 3, 1] } },
    { id: "node-numbers", type: "symbol", source: "nodes", minzoom: 16, layout: { "text-field": ["to-string", ["get", "number"]], "text-font": SANS_MEDIUM, "text-size": 11, "text-anchor": "bottom-left", "text-offset": [0.4, -0.2], "text-padding": 1 }, paint: { "text-color": token("--ink"), ...halo } },
    { id: "link-numbers", type: "symbol", source: "names", "source-layer": "streets", minzoom: 16, layout: { "symbol-placement": "line-center", "text-field": linkLettering(null), "text-font": SANS, "text-size": 11, "text-keep-upright": false, "text-padding": 1 }, paint: { "text-color": token("--thread"), ...halo } },
    { id: "letters", type: "symbol", source: "letters", layout: { "text-field": ["concat", ["to-string", ["get", "text"]], " \u203a"], "text-font": SANS_MEDIUM, "text-size": 13, "text-rotate": ["get", "angle"], "text-rotation-alignment": "map", "text-allow-overlap": true }, paint: { "text-color": token("--thread"), ...halo } },
    { id: "ends", type: "circle", source: "ends", paint: { "circle-radius": 5, "circle-color": token("--page"), "circle-stroke-color": token("--warn"), "circle-stroke-width": 2 } },
  ];
  // Overlays begin empty, and what is empty is not drawn.
  return list
    .filter(({ source }) => !source || isOverlay(source) || source === "names" || has(source))
    .map((layer) => (isOverlay(layer.source ?? "") ? ({ ...layer, layout: { ...layer.layout, visibility: "none" } }) : layer));
}

/** What is lettered along a link: an attribute, read in the direction in which the link was drawn. */
export function linkLettering(field: string | null): ExpressionSpecification {
  const name = field ?? "link_id";
  return ["case", ["has", name], ["concat", ["to-string", ["get", name]], " \u203a"], ""];
}

/** A two-holed button, as sewn on; open and dashed where the place is left out. */
export function buttonImage(kind: "button" | "button-out" | "border"): ImageData {
  const size = 44;
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = size;
  const pen = canvas.getContext("2d");
  if (!pen) return new ImageData(1, 1);
  const ink = token("--ink");
  pen.lineWidth = 3;
  pen.strokeStyle = kind === "border" ? token("--warn") : ink;
  pen.fillStyle = token("--page");
  if (kind === "border") {
    pen.beginPath();
    pen.moveTo(22, 8);
    pen.lineTo(36, 34);
    pen.lineTo(8, 34);
    pen.closePath();
    pen.fill();
    pen.stroke();
    return pen.getImageData(0, 0, size, size);
  }
  if (kind === "button-out") pen.setLineDash([5, 4]);
  pen.beginPath();
  pen.arc(22, 22, 12.5, 0, 7);
  pen.fill();
  pen.stroke();
  pen.fillStyle = ink;
  for (const x of [17.6, 26.4]) {
    pen.beginPath();
    pen.arc(x, 22, 2.7, 0, 7);
    pen.fill();
  }
  return pen.getImageData(0, 0, size, size);
}
