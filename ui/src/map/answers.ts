/** What the map and its legend show of trips, of what stands alongside, and of neighbours. */
import type { Feature, FeatureCollection } from "geojson";
import { figure } from "../common/format";
import { isLayerSet } from "../sheet/words";
import type { LayerInfo } from "../api/own";
import type { Answer } from "../state/sheet";
import type { LegendRow, MapContent } from "./content";
import { shareRamp, token } from "./look";

type Hidden = Record<string, boolean>;
export const collection = (features: Feature[]): FeatureCollection => ({ type: "FeatureCollection", features });
export const part = (answer: Answer, name: string) => answer.result[name] as FeatureCollection | undefined;

/** Results that can be drawn as an outline, the first that an answer has. */
const OUTLINED = ["contours", "routes", "areas", "load", "strip", "zones"];

/** Another answer beside the selected one, in outline alone. */
export function overlaidShown(content: MapContent, answer: Answer, title: string, ink: string): void {
  const name = OUTLINED.find((one) => (part(answer, one)?.features.length ?? 0) > 0);
  const colour = token(ink);
  if (name) content.overlays.overlaid = collection((part(answer, name)?.features ?? []).map((feature) => ({ ...feature, properties: { colour } })));
  content.groups.push({
    title: "The other answer",
    rows: [{ key: "", label: title, swatch: { kind: "dash", line: `var(${ink})`, width: 2.4 } }],
    ...(name ? {} : { note: "This answer has nothing that can be drawn in outline." }),
  });
}

const EARTH_M = 6_371_008.8;

/** Length in metres of a line on the sphere, good to half a percent. */
export function lineLength(line: [number, number][]): number {
  const rad = (degrees: number) => (degrees * Math.PI) / 180;
  return line.slice(1).reduce((sum, [lon, lat], i) => {
    const [lon0, lat0] = line[i] as [number, number];
    const a = Math.sin(rad(lat - lat0) / 2) ** 2 + Math.cos(rad(lat0)) * Math.cos(rad(lat)) * Math.sin(rad(lon - lon0) / 2) ** 2;
    return sum + 2 * EARTH_M * Math.asin(Math.sqrt(a));
  }, 0);
}

/** A line that is measured on the map, straight from point to point. */
export function measureShown(content: MapContent, line: [number, number][]): void {
  const metres = lineLength(line);
  if (line.length > 1) content.overlays.selection = collection([{ type: "Feature", properties: {}, geometry: { type: "LineString", coordinates: line } }]);
  if (line.length === 1) content.overlays.ends = collection([{ type: "Feature", properties: {}, geometry: { type: "Point", coordinates: line[0] ?? [0, 0] } }]);
  content.groups.unshift({
    title: "Measured",
    rows: [{ key: "", label: line.length < 2 ? "Click point after point" : metres < 2000 ? `${figure(metres)} m` : `${figure(metres / 1000, 2)} km`, swatch: { kind: "dash", line: "var(--thread)" } }],
    note: "Straight lines. Escape ends this.",
  });
}

/** Widest line of a load, as a multiple of the thinnest. */
const WIDEST = 6;
export const loadWidth = (trips: number, most: number) => 0.8 + (WIDEST - 0.8) * Math.sqrt(trips / Math.max(most, 1));

/** Round numbers of trips for the legend, most first. */
export function loadSteps(most: number): number[] {
  const power = 10 ** Math.floor(Math.log10(Math.max(most, 1)));
  const top = ([5, 2, 1].find((step) => step * power <= most) ?? 1) * power;
  return [...new Set([top, Math.round(top / 4), Math.round(top / 20), 1])].filter((step) => step >= 1);
}

export function tripsShown(content: MapContent, answer: Answer, hidden: Hidden, way: Feature | null): void {
  const streets = part(answer, "load")?.features ?? [];
  const most = streets.reduce((max, { properties }) => Math.max(max, Number(properties?.trips)), 1);
  const colour = token("--b1");
  if (!hidden.load) {
    content.overlays.owned = collection(
      [...streets]
        .sort((a, b) => Number(a.properties?.trips) - Number(b.properties?.trips))
        .map((feature) => ({ ...feature, properties: { colour, width: loadWidth(Number(feature.properties?.trips), most) } })),
    );
  }
  if (way) content.overlays.routes = collection([{ ...way, properties: { colour: token("--thread") } }]);
  content.groups.push({
    title: "Trips on a street",
    rows: loadSteps(most).map((step, i): LegendRow => ({
      key: i === 0 ? "load" : "",
      label: step === 1 ? "1 trip" : `${step} trips`,
      swatch: { kind: "line", line: "var(--b1)", width: 1.4 * loadWidth(step, most) },
    })),
    note: way ? "The chosen trip is drawn in thread." : "Choose a row to see its way.",
  });
}

export function alongsideShown(content: MapContent, answer: Answer, layers: LayerInfo[], hidden: Hidden, row: string | null): void {
  const sets = (answer.inputs.layers as unknown[]).filter(isLayerSet);
  const looks = ["--amount", "--place", "--mode", "--time"];
  const rows: LegendRow[] = [
    { key: "strip", label: "Strip", swatch: { kind: "area", fill: "var(--thread-wash)", line: "var(--thread)" } },
    { key: "alongside-streets", label: "Reached street", swatch: { kind: "line", line: "var(--b1)" } },
  ];
  if (!hidden.strip) content.overlays.areas = collection((part(answer, "strip")?.features ?? []).map((f) => ({ ...f, properties: { fill: token("--thread"), opacity: 0.16 } })));
  if (!hidden["alongside-streets"]) {
    content.overlays.owned = collection((part(answer, "streets")?.features ?? []).map((f) => ({ ...f, properties: { colour: token("--b1"), width: 1 } })));
  }
  const found: Feature[] = [];
  sets.forEach(({ layer }, i) => {
    const features = part(answer, layer)?.features ?? [];
    const title = layers.find(({ id }) => id === layer)?.title ?? layer;
    const [line, wash] = [looks[i % looks.length] ?? "--place", `${looks[i % looks.length] ?? "--place"}-wash`];
    rows.push({ key: `along-${layer}`, label: title, count: features.length, swatch: { kind: "area", fill: `var(${wash})`, line: `var(${line})` } });
    if (hidden[`along-${layer}`]) return;
    const solid = i === sets.length - 1 && sets.length > 1;
    found.push(...features.map((f) => ({ ...f, properties: { fid: f.properties?.fid as number, fill: token(solid ? line : wash), edge: token(line), opacity: solid ? 0.75 : 0.6 } })));
  });
  content.overlays.found = collection(found);
  const last = sets[sets.length - 1]?.layer;
  const chosen = (last ? (part(answer, last)?.features ?? []) : []).filter(({ properties }) => String(properties?.name ?? properties?.fid) === row);
  if (chosen.length) content.overlays.selection = collection(chosen);
  const events = part(answer, "events")?.features ?? [];
  content.overlays.places = collection(events.map((f) => ({ ...f, properties: { ...f.properties, used: f.properties?.status === "on street" } })));
  rows.push({ key: "", label: "Event", count: events.length, swatch: { kind: "button" } });
  content.groups.push({ title: "Along the streets", rows });
}

const classWords = (low: number, high: number) => (low === high ? String(low) : `${low} to ${high}`);

export function neighboursShown(content: MapContent, answer: Answer, hidden: Hidden, row: string | null): void {
  const limits = answer.inputs.limits as number[];
  const field = `within_${limits[limits.length - 1] ?? ""}`;
  const places = part(answer, "places")?.features ?? [];
  const ramp = shareRamp();
  const most = places.reduce((max, { properties }) => Math.max(max, Number(properties?.[field] ?? 0)), 1);
  const step = Math.max(Math.ceil(most / ramp.length), 1);
  const level = (feature: Feature) => Math.min(Math.floor(Math.max(Number(feature.properties?.[field] ?? 0) - 1, 0) / step), ramp.length - 1);
  content.overlays.graded = collection(
    places
      .filter((feature) => !hidden[`near-${level(feature)}`])
      .map((feature) => ({ ...feature, properties: { colour: ramp[level(feature)], radius: 4 + level(feature), chosen: feature.properties?.name === row } })),
  );
  const rows = ramp
    .map((fill, i): LegendRow => ({
      key: `near-${i}`,
      label: classWords(i === 0 ? 0 : i * step + 1, Math.min((i + 1) * step, most)),
      count: places.filter((feature) => level(feature) === i).length,
      swatch: { kind: "circle", fill, line: "var(--ink)" },
    }))
    .filter((_, i) => i * step < most);
  content.groups.push({ title: `Others within ${limits[limits.length - 1] ?? ""} ${answer.inputs.measure === "distance" ? "m" : "min"}`, rows, note: "Count beside each class: places." });
}
