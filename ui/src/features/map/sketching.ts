/** A street or a line is drawn on the map, corner by corner; a ring says what each corner of a street would meet. */
import { t } from "@lingui/core/macro";
import type { Feature } from "geojson";
import { useEffect } from "react";
import type { Position } from "../../api/edits";
import type { Packed } from "../../api/packed";
import type { Overview } from "../../api/studies";
import type { LegendRow, MapContent } from "../../map/content";
import type { Scene } from "../../map/scene";
import { collection } from "../../map/shapes";
import { screenNow, useScreenValue } from "../../state/screen";
import type { Aim, Sketch, Snap } from "../../state/slices/edits";
import { awaited, endAt } from "../streets/TwoClicks";

/** So many pixels from a junction or street a corner meets it. */
const REACH_PX = 11;
const DEGREE_M = 111_195;

/** What a corner at a place would meet within `reach` metres: a junction before a street. */
export function snapped(streets: Packed | null, [lng, lat]: Position, reach: number): Snap {
  const free: Snap = { at: [rounded(lng), rounded(lat)], on: "free" };
  if (!streets) return free;
  const [shapeLon, shapeLat, , start] = streets.arrays as [Float64Array, Float64Array, Float64Array, Uint32Array];
  const [nodeLon, nodeLat] = streets.arrays.slice(8) as [Float64Array, Float64Array];
  const shrink = Math.cos((lat * Math.PI) / 180);
  const away = (x: number, y: number) => Math.hypot((x - lng) * shrink, y - lat) * DEGREE_M;
  let best = reach;
  let found: Snap | null = null;
  for (let i = 0; i < nodeLon.length; i++) {
    const metres = away(nodeLon[i] as number, nodeLat[i] as number);
    if (metres < best) [best, found] = [metres, { at: [nodeLon[i] as number, nodeLat[i] as number], on: "node" }];
  }
  if (found) return found;
  for (let link = 0; link + 1 < start.length; link++) {
    for (let i = start[link] as number; i + 1 < (start[link + 1] as number); i++) {
      const [ax, ay] = [((shapeLon[i] as number) - lng) * shrink, (shapeLat[i] as number) - lat];
      const [bx, by] = [((shapeLon[i + 1] as number) - lng) * shrink, (shapeLat[i + 1] as number) - lat];
      const [ux, uy] = [bx - ax, by - ay];
      const share = Math.min(Math.max(-(ax * ux + ay * uy) / Math.max(ux * ux + uy * uy, 1e-24), 0), 1);
      const metres = Math.hypot(ax + share * ux, ay + share * uy) * DEGREE_M;
      if (metres < best) [best, found] = [metres, { at: [rounded(lng + (ax + share * ux) / shrink), rounded(lat + ay + share * uy)], on: "street" }];
    }
  }
  return found ?? free;
}

const rounded = (degrees: number) => Math.round(degrees * 1e7) / 1e7;

/** Clicks set corners of the street, or stops of the line, that is drawn. */
export function useSketching(scene: Scene | null, overview: Overview, streets: Packed | null): void {
  const active = useScreenValue(({ sketch }) => sketch !== null);
  useEffect(() => {
    if (!scene || !active) return;
    const reach = () => REACH_PX * scene.metresPerPixel;
    scene.map.getCanvas().style.cursor = "crosshair";
    scene.map.doubleClickZoom.disable();
    const move = ({ lngLat }: { lngLat: { lng: number; lat: number } }) => screenNow().hoverSketch(snapped(streets, [lngLat.lng, lngLat.lat], reach()));
    // By keys it is the middle of the map that the next corner is set at.
    const follow = ({ originalEvent }: { originalEvent?: unknown }) => {
      const { lng, lat } = scene.map.getCenter();
      if (originalEvent instanceof KeyboardEvent) screenNow().hoverSketch(snapped(streets, [lng, lat], reach()));
    };
    scene.map.on("mousemove", move);
    scene.map.on("move", follow);
    const off = scene.onClick((lng, lat) => screenNow().addCorner(snapped(streets, [lng, lat], reach())));
    return () => {
      off();
      scene.map.off("mousemove", move);
      scene.map.off("move", follow);
      scene.map.doubleClickZoom.enable();
      scene.map.getCanvas().style.cursor = "";
    };
  }, [scene, active, streets, overview.revision]);
}

/** What is drawn, and a ring where the pointer would set the next corner. */
export function sketchShown(content: MapContent, { of, corners, hover }: Sketch): void {
  const line = [...corners, ...(hover ? [hover] : [])].map(({ at }) => at);
  if (line.length > 1) content.overlays.selection = collection([{ type: "Feature", properties: {}, geometry: { type: "LineString", coordinates: line } }]);
  const rings = [...corners, ...(hover ? [hover] : [])].filter(({ on }) => on !== "free");
  const places = of === "line" ? corners : rings.length ? rings : corners.slice(0, 1);
  content.overlays.ends = collection(places.map(({ at }): Feature => ({ type: "Feature", properties: {}, geometry: { type: "Point", coordinates: at } })));
  const note = t`Enter ends it, Backspace takes the last one back, Escape gives up.`;
  if (of === "line") {
    content.groups.unshift({
      title: t`Line being drawn`,
      rows: [
        { key: "", label: t`Stop`, count: corners.length, swatch: { kind: "circle", line: "var(--warn)" } },
        { key: "", label: t`From stop to stop`, swatch: { kind: "dash", line: "var(--thread)" } },
      ],
      note,
    });
    return;
  }
  const next = hover ?? corners[corners.length - 1];
  const does = { node: t`Meets a junction`, street: t`Breaks the street and meets it`, free: t`Stands free` };
  content.groups.unshift({
    title: t`Street being drawn`,
    rows: [
      { key: "", label: next ? does[next.on] : t`Click corner after corner`, swatch: { kind: "circle", line: "var(--warn)" } },
      { key: "", label: t`New street`, swatch: { kind: "dash", line: "var(--thread)" } },
    ],
    note,
  });
}

/** The place of the first of two clicks, and what the next is for. */
export function aimShown(content: MapContent, { act, first }: Aim): void {
  const place = first && (act === "move" || act === "barrier" ? endAt(first) : null);
  if (first) content.overlays.selection = collection([{ type: "Feature", properties: {}, geometry: first.street.line }]);
  if (place) content.overlays.ends = collection([{ type: "Feature", properties: {}, geometry: { type: "Point", coordinates: [place.lon, place.lat] } }]);
  const rows: LegendRow[] = first ? [{ key: "", label: t`Clicked first`, swatch: { kind: "dash", line: "var(--thread)" } }] : [];
  content.groups.unshift({ title: awaited(act, first), rows, note: t`Escape gives up.` });
}

/** What would be put in or changed. */
export function ghostsShown(content: MapContent, lines: Feature[]): void {
  content.overlays.selection = collection(lines);
  content.groups.unshift({ title: t`Would change`, rows: [{ key: "", label: t`Streets as they would be`, count: lines.length, swatch: { kind: "dash", line: "var(--thread)" } }] });
}
