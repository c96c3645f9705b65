/** What the map and its legend show for the stage and the selected answer. */
import type { Feature, FeatureCollection } from "geojson";
import { useMemo } from "react";
import { useQuery } from "@tanstack/react-query";
import { layerFeatures } from "../api/layers";
import { askOnce, cutOffLinks, type Inputs, type LayerInfo, type Overview } from "../api/own";
import { modeBands, type ModeLook } from "./modeBands";
import type { Packed } from "../api/packed";
import { inkOf } from "../sheet/blocks";
import { questionNames } from "../sheet/words";
import { useAnswer, useSheet, type Answer, type QuestionBlock } from "../state/sheet";
import { useScreen, type Colour, type Theme } from "../state/store";
import { figure } from "../common/format";
import type { Classing } from "./choropleth";
import { bands, token } from "./look";
import type { Overlays } from "./scene";
import { collection, lineLength } from "./shapes";
import { outlineShown, viewShown } from "./view";

export type LegendRow = {
  key: string;
  /** By what its look is kept; rows without one have no look of their own. */
  id?: string;
  label: string;
  count?: number | undefined;
  swatch: { kind: "area" | "line" | "dash" | "button" | "triangle" | "circle" | "number"; fill?: string; line?: string; width?: number };
};
/** What features are graded by and how classes are made, for the legend to change. */
export type Graded = { of: string; field: string; classing: Classing; limits: number[]; figures: [string, string][]; counts: boolean };
export type LegendGroup = { id?: string; title: string; note?: string; rows: LegendRow[]; grades?: Graded };
export type StreetsShown = { kind: "plain" } | { kind: "mode"; mode: string; at: string | null; beside: string | null; values?: { by: Exclude<Colour, "use">; limits: number[] } } | { kind: "reach"; inputs: Inputs; limits: number[] };
export type MapContent = { overlays: Overlays; streets: StreetsShown; groups: LegendGroup[]; bandCount: number; order: readonly string[] };
type Hidden = Record<string, boolean>;

/** One and the same value, so that nothing is ordered anew where nothing was ordered. */
const UNORDERED: readonly string[] = [];

export function useMapContent(overview: Overview | undefined, streets: Packed | null): MapContent {
  const { study, stage, mode, question, hidden, row, street, theme, layer, chosen, label, colour, at, beside, measuring, way: shownWay, overlaid, zoneLook, minute } = useScreen();
  const looked = useLookedAt(overview, stage === "sources" ? layer : null);
  const { data: drawnLinks } = useQuery({
    queryKey: ["layer-features", study, "streets", overview?.stamp],
    queryFn: () => layerFeatures(study ?? "", "streets"),
    enabled: !!overview?.drawn,
    staleTime: Infinity,
    meta: { panel: "map", what: "The lettering of the links" },
  });
  const { data: cutOff } = useQuery({
    queryKey: ["parts", study, overview?.stamp, mode, overview?.modes.find(({ id }) => id === mode)?.changed],
    queryFn: () => cutOffLinks(study ?? "", mode),
    enabled: stage === "streets" && !!overview?.stamp && overview.modes.some(({ id, problem }) => id === mode && !problem),
    staleTime: Infinity,
    meta: { panel: "map", what: "The parts that are cut off" },
  });
  const { data: sheet } = useSheet(study);
  const { data: answer } = useAnswer(study, stage === "sheet" ? question : null);
  const block = sheet?.blocks.find((b): b is QuestionBlock => b.kind === "question" && b.id === question);
  const { data: over } = useAnswer(study, stage === "sheet" && overlaid !== question ? overlaid : null);
  const overNumber = (sheet?.blocks ?? []).filter(({ kind }) => kind === "question").findIndex(({ id }) => id === overlaid) + 1;
  const overName = overlaid ? (questionNames(sheet?.blocks ?? [])[overlaid] ?? "") : "";
  const path = useRowPath(study, stage === "sheet" ? answer : null, row);
  return useMemo(() => {
    const content: MapContent = { overlays: {}, streets: { kind: "plain" }, groups: [], bandCount: 3, order: (stage === "sheet" && block?.order) || UNORDERED };
    if (!overview?.stamp) return content;
    if (overview.drawn) content.overlays.nodes = nodesOf(streets, hidden);
    if (overview.drawn && drawnLinks && !hidden["link-numbers"]) content.overlays.letters = lettersOf(drawnLinks, label ?? "length");
    if (stage === "sources" && looked) layerShown(content, looked.info, looked.features, chosen, hidden, theme);
    if (stage === "streets") streetsStage(content, overview, streets, hidden, label);
    if (stage === "streets" && cutOff) partsShown(content, overview, mode, cutOff, hidden, theme);
    if (stage === "modes") modesStage(content, overview, { mode, at, colour, beside }, theme);
    if (stage === "sheet" && answer && block) {
      viewShown(content, answer.result, { hidden, row, look: zoneLook, step: minute, looks: block.look ?? {}, path });
      streetsShown(content, answer, hidden);
    }
    if (street && (stage === "modes" || stage === "streets" || stage === "sheet")) {
      content.overlays.selection = collection([{ type: "Feature", properties: {}, geometry: street.line }]);
    }
    if (stage === "sheet" && over) outlineShown(content, over.result, `${overName}: ${over.result.title}`, inkOf(overNumber));
    if (stage === "sheet" && shownWay && answer?.process !== "route") content.overlays.routes = collection([{ ...shownWay, properties: { colour: token("--thread") } }]);
    if (measuring) measureShown(content, measuring);
    void theme; // colours are read from the theme in force
    return overview.drawn ? content : { ...content, groups: [...content.groups, ground(overview.layers, stage === "modes")] };
  }, [overview, streets, stage, mode, answer, block, hidden, row, street, theme, looked, chosen, cutOff, label, drawnLinks, colour, at, beside, path, measuring, shownWay, over, overName, overNumber, zoneLook, minute]);
}

/** An attribute of each link of a drawing, lettered at its middle in the direction in which it was drawn. */
export function lettersOf(links: FeatureCollection, field: string): FeatureCollection {
  const features = links.features.flatMap((feature): Feature[] => {
    const text: unknown = feature.properties?.[field];
    if (feature.geometry.type !== "LineString" || text === null || text === undefined) return [];
    const line = feature.geometry.coordinates;
    const at = Math.floor((line.length - 1) / 2);
    const [a, b] = [line[at] as number[], line[at + 1] as number[]];
    const [ax = 0, ay = 0, bx = 0, by = 0] = [a[0], a[1], b[0], b[1]];
    const angle = (-Math.atan2(by - ay, bx - ax) * 180) / Math.PI;
    return [{ type: "Feature", properties: { text, angle }, geometry: { type: "Point", coordinates: [(ax + bx) / 2, (ay + by) / 2] } }];
  });
  return collection(features);
}

/** The path that the selected row of a table stands for, where the view says how to ask for it. */
function useRowPath(study: string | null, answer: Answer | null | undefined, row: string | null): Feature | null {
  const table = answer?.result.view.tables?.[0];
  const rows = (answer && table?.path ? (answer.result[table.part] ?? []) : []) as Record<string, number>[];
  const found = rows.find((one) => String(one[table?.key ?? ""]) === row);
  const places = (answer?.result[table?.path?.places ?? ""] as FeatureCollection | undefined)?.features ?? [];
  const ends = found && table?.path ? [places[found[table.path.source] ?? -1], places[found[table.path.target] ?? -1]].filter((end) => end !== undefined) : [];
  const { mode, at, snap, closures, measure } = answer?.inputs ?? {};
  const inputs = { mode, at, snap, closures, measure, waypoints: collection(ends) };
  const { data } = useQuery({
    queryKey: ["row-path", study, answer?.made, row],
    queryFn: () => askOnce(study ?? "", "route", JSON.parse(JSON.stringify(inputs)) as Inputs),
    enabled: ends.length === 2,
    staleTime: Infinity,
    meta: { panel: "map", what: "The path of this trip" },
  });
  return ends.length === 2 ? ((data?.routes as FeatureCollection | undefined)?.features[0] ?? null) : null;
}

type Looked = { info: LayerInfo; features: FeatureCollection };

/** The layer that is looked at, with its features. */
function useLookedAt(overview: Overview | undefined, layer: string | null): Looked | null {
  const info = overview?.layers.find(({ id }) => id === layer);
  const { data } = useQuery({
    queryKey: ["layer-features", overview?.id, layer, info?.added],
    queryFn: () => layerFeatures(overview?.id ?? "", layer ?? ""),
    enabled: !!info,
    staleTime: Infinity,
    meta: { panel: "map", what: "The features of this layer" },
  });
  return useMemo(() => (info && data ? { info, features: data } : null), [info, data]);
}

function layerShown(content: MapContent, info: LayerInfo, features: FeatureCollection, chosen: number[], hidden: Hidden, theme: Theme): void {
  void theme;
  const picked = new Set(chosen);
  if (!hidden["layer"]) {
    content.overlays.layer = collection(
      features.features.map((feature) => ({
        ...feature,
        properties: { fid: feature.id, chosen: picked.has(Number(feature.id)), lettering: (feature.properties?.name ?? null) as string | null },
      })),
    );
  }
  const line = info.geometry.includes("LINE");
  const kind = info.geometry.includes("POINT") ? "circle" : line ? "line" : "area";
  content.groups.push({
    title: info.title,
    rows: [
      { key: "layer", label: "Feature", count: info.count, swatch: { kind, fill: "var(--place-wash)", line: "var(--place)" } },
      { key: "", label: "Selected", count: chosen.length, swatch: { kind: line ? "line" : "area", fill: "var(--thread-wash)", line: "var(--thread)" } },
    ],
    note: info.count > features.features.length ? `The first ${features.features.length} are drawn.` : "Click a feature to select it.",
  });
}

/** How parts beyond this rank are drawn and listed: together. */
const PARTS_APART = 4;
const PART_INKS = ["var(--place)", "var(--time)", "var(--mode)"];

function partsShown(content: MapContent, overview: Overview, mode: string, cutOff: FeatureCollection, hidden: Hidden, theme: Theme): void {
  void theme;
  const info = overview.modes.find(({ id }) => id === mode);
  if (!info || info.problem || cutOff.features.length === 0) return;
  const rankOf = (feature: Feature) => Number(feature.properties?.part);
  const key = (rank: number) => `part-${rank < 0 ? "none" : Math.min(rank, PARTS_APART)}`;
  const colour = (rank: number) => (rank < 0 ? "var(--error)" : (PART_INKS[rank - 1] ?? "var(--warn)"));
  content.overlays.parts = collection(
    cutOff.features
      .filter((feature) => !hidden[key(rankOf(feature))])
      .map((feature) => ({ ...feature, properties: { ...feature.properties, colour: resolved(colour(rankOf(feature))) } })),
  );
  const sizes = info.parts.sizes;
  const rows: LegendRow[] = sizes
    .slice(1, PARTS_APART)
    .map(({ rank, km }) => ({ key: key(rank), label: `Part ${rank + 1}, ${km.toFixed(1)} km`, swatch: { kind: "line", line: colour(rank) } }));
  if (info.parts.count > PARTS_APART) rows.push({ key: key(PARTS_APART), label: "Smaller parts", count: info.parts.count - PARTS_APART, swatch: { kind: "line", line: colour(PARTS_APART + 1) } });
  if (cutOff.features.some((feature) => rankOf(feature) < 0)) rows.push({ key: key(-1), label: "One-way trap", swatch: { kind: "line", line: colour(-1) } });
  content.groups.push({ title: `Parts, ${info.title.toLowerCase()}`, rows, note: "The largest part is drawn in ink." });
}

const resolved = (colour: string) => (colour.startsWith("var(") ? token(colour.slice(4, -1)) : colour);

function ground(layers: LayerInfo[], plain: boolean): LegendGroup {
  const rows: LegendRow[] = plain
    ? []
    : [
        { key: "", label: "Main street", swatch: { kind: "line", line: "var(--st-main)" } },
        { key: "", label: "Street, lane", swatch: { kind: "line", line: "var(--st-minor)" } },
      ];
  const known: LegendRow[] = [
    { key: "water", label: "Water", swatch: { kind: "area", fill: "var(--water)", line: "var(--water-edge)" } },
    { key: "green", label: "Green, field", swatch: { kind: "area", fill: "var(--green)", line: "var(--green-edge)" } },
    { key: "building", label: "Building", swatch: { kind: "area", fill: "var(--building)", line: "var(--building-edge)" } },
    { key: "rail", label: "Railway", swatch: { kind: "dash", line: "var(--st-sec)" } },
  ];
  rows.push(...known.filter(({ key }) => layers.some(({ id }) => id === key)));
  rows.push({ key: "names", label: "Names", swatch: { kind: "line", line: "transparent" } });
  return { title: "Ground", rows };
}

function streetsStage(content: MapContent, overview: Overview, streets: Packed | null, hidden: Hidden, label: string | null): void {
  const border = overview.build?.border_nodes ?? 0;
  content.groups.push({
    title: "Graph",
    rows: [
      { key: "nodes", label: "Node", count: overview.build?.nodes, swatch: { kind: "circle" } },
      { key: "", label: "Link", count: overview.build?.links, swatch: { kind: "line", line: "var(--st-main)" } },
      { key: "border", label: "Border node", count: border, swatch: { kind: "triangle" } },
      { key: "numbers", label: "Node number", swatch: { kind: "number" } },
      { key: "link-numbers", label: label ? `Link: ${label.replaceAll("_", " ")}` : overview.drawn ? "Link: length" : "Link number", swatch: { kind: "number" } },
    ],
    note: overview.drawn
      ? "A link's letters read in the direction in which it was drawn."
      : "Nodes and numbers show from street scale on; a link's number reads in the direction in which it was drawn.",
  });
  content.overlays.nodes = nodesOf(streets, hidden);
}

function nodesOf(streets: Packed | null, hidden: Hidden): FeatureCollection {
  if (!streets) return collection([]);
  const [isBorder, lon, lat, number] = streets.arrays.slice(7) as [Uint8Array, Float64Array, Float64Array, Float64Array];
  const features: Feature[] = [];
  for (let i = 0; i < lon.length; i++) {
    if (hidden[isBorder[i] ? "border" : "nodes"]) continue;
    const coordinates = [lon[i] as number, lat[i] as number];
    features.push({ type: "Feature", properties: { border: isBorder[i] === 1, number: number[i] }, geometry: { type: "Point", coordinates } });
  }
  return collection(features);
}

/** The streets of a question's mode at its hour. */
const modeStreets = (inputs: Inputs): StreetsShown => ({ kind: "mode", mode: String(inputs.mode), at: (inputs.at as string | null | undefined) ?? null, beside: null });

function modesStage(content: MapContent, overview: Overview, look: ModeLook, theme: Theme): void {
  void theme;
  const { mode, at, colour } = look;
  const beside = colour === "beside" ? look.beside : null;
  content.streets = { kind: "mode", mode, at, beside };
  const info = overview.modes.find(({ id }) => id === mode);
  const other = overview.modes.find(({ id }) => id === beside);
  const unused: LegendRow = { key: "", label: other ? "Used by neither" : "Not used", swatch: { kind: "dash", line: "var(--st-fade)" } };
  const note = "What is faded is never used, here or in an answer.";
  if (colour === "use" || !info || info.problem || (colour === "beside" && !other)) {
    const inks: [string, string][] = [["Main street", "var(--st-main)"], ["Street, lane", "var(--st-minor)"]];
    const rows = inks.map(([label, line]): LegendRow => ({ key: "", label, swatch: { kind: "line", line } }));
    content.groups.push({ title: info?.title ?? mode, rows: [...rows, unused], note });
    return;
  }
  const { title, limits, words } = modeBands(info, other ?? null, colour);
  content.streets = { ...content.streets, values: { by: colour, limits } };
  content.bandCount = limits.length;
  const inks = bands(limits.length);
  const rows = limits
    .map((_, i): LegendRow => ({ key: "", label: words(i), swatch: { kind: "line", line: inks[i]?.street ?? "" } }))
    .filter((_, i) => colour !== "source" || (info.speed_sources[i]?.km ?? 0) > 0);
  content.groups.push({ title: `${info.title}, ${title}`, rows: [...rows, unused], note });
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

/** The streets as the view of an answer wants them. */
function streetsShown(content: MapContent, answer: Answer, hidden: Hidden): void {
  const { kind, limits = [], row } = answer.result.view.map?.streets ?? { kind: "plain" };
  if (kind === "plain") return;
  const reach = kind === "reach" && !(row && hidden[row]);
  content.streets = reach ? { kind: "reach", inputs: answer.inputs, limits } : modeStreets(answer.inputs);
  if (limits.length) content.bandCount = limits.length;
}

/** The limit that leads: the middle one. */
export const middleLimit = (limits: number[]) => limits[Math.floor(limits.length / 2)] ?? 0;
