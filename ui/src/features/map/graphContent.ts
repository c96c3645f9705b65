/** What the map shows of the street graph: its nodes and numbers, the components of a mode, the letters of a drawing. */
import { t } from "@lingui/core/macro";
import type { Feature, FeatureCollection } from "geojson";
import type { DrawnLine } from "../../api/edits";
import type { Packed } from "../../api/packed";
import type { LayerInfo, Overview } from "../../api/studies";
import type { LegendGroup, LegendRow, MapContent } from "../../map/content";
import { bands, token } from "../../map/look";
import type { GraphNodes } from "../../map/nodes";
import { figure } from "../../common/format";
import { collection } from "../../map/shapes";
import { widthOf } from "../../map/view";
import type { Frequencies } from "../../state/slices/mapView";
import { kindWord } from "../streets/kinds";
import { inkOf } from "../../state/blocks";

type Hidden = Record<string, boolean>;

export function streetsStage(content: MapContent, overview: Overview, streets: Packed | null, hidden: Hidden, label: string | null): void {
  const border = overview.build?.border_nodes ?? 0;
  content.groups.push({
    title: t`Graph`,
    rows: [
      { key: "nodes", label: t`Node`, count: overview.build?.nodes, swatch: { kind: "circle" } },
      { key: "", label: t`Link`, count: overview.build?.links, swatch: { kind: "line", line: "var(--st-main)" } },
      { key: "border", label: t`Border node`, count: border, swatch: { kind: "triangle" } },
      { key: "numbers", label: t`Node number`, swatch: { kind: "number" } },
      { key: "link-numbers", label: label ? t`Link: ${label.replaceAll("_", " ")}` : overview.drawn ? t`Link: length` : t`Link number`, swatch: { kind: "number" } },
    ],
    note: overview.drawn
      ? t`A link's letters read in the direction in which it was drawn.`
      : t`Nodes and numbers show from street scale on; a link's number reads in the direction in which it was drawn.`,
  });
  if (!overview.drawn) content.nodes = nodesShown(streets, hidden);
}

/** Which nodes of the streets are shown. */
export const nodesShown = (streets: Packed | null, hidden: Hidden): GraphNodes | null => streets && { streets, plain: !hidden.nodes, border: !hidden.border };

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

/** A fault of the streets: a ring at its place, and the gap that would have to be closed. */
export function findingShown(content: MapContent, finding: Feature): void {
  const { geometry } = finding;
  const line = geometry.type === "LineString" ? geometry.coordinates : [];
  const at = geometry.type === "Point" ? geometry.coordinates : line[0];
  if (!at) return;
  content.overlays.ends = collection([{ type: "Feature", properties: {}, geometry: { type: "Point", coordinates: at } }]);
  if (line.length) content.overlays.selection = collection([{ type: "Feature", properties: {}, geometry }]);
  const rows: LegendRow[] = [{ key: "", label: t`Where it is`, swatch: { kind: "circle", line: "var(--warn)" } }];
  if (line.length) rows.push({ key: "", label: t`Gap`, swatch: { kind: "dash", line: "var(--thread)" } });
  content.groups.unshift({ title: t`Finding`, rows });
}

/** All findings at once, a ring for each in the colour of its grade. */
export function findingsShown(content: MapContent, findings: Feature[]): void {
  const places = findings.flatMap((finding): Feature[] => {
    const { geometry } = finding;
    const at = geometry.type === "Point" ? geometry.coordinates : geometry.type === "LineString" ? geometry.coordinates[0] : undefined;
    const grade = String(finding.properties?.grade);
    return at ? [{ type: "Feature", properties: { grade, colour: token(`--${grade === "note" ? "ink-2" : grade === "error" ? "error" : "warn"}`) }, geometry: { type: "Point", coordinates: at } }] : [];
  });
  content.overlays.faults = collection(places);
  const count = (grade: string) => places.filter(({ properties }) => properties?.grade === grade).length;
  const rows: [string, string, string][] = [["error", t`Error`, "var(--error)"], ["warning", t`Warning`, "var(--warn)"], ["note", t`Note`, "var(--ink-2)"]];
  content.groups.unshift({
    title: t`Findings`,
    rows: rows.filter(([grade]) => count(grade)).map(([grade, label, line]): LegendRow => ({ key: "", label, count: count(grade), swatch: { kind: "circle", line } })),
  });
}

const STEPS = 3;

/** Lines of public transport as wide as they run often in an hour; their stops show from street scale on. */
export function frequenciesShown(content: MapContent, { lines, stops, words }: Frequencies): void {
  const number = (line: Feature) => Number(line.properties?.departures ?? 0);
  const most = Math.max(...lines.map(number), 1);
  const width = (count: number) => widthOf(count, most, "root");
  const sorted = lines.filter((line) => number(line) > 0).sort((a, b) => number(a) - number(b));
  content.overlays.owned = collection(sorted.map((line) => ({ ...line, properties: { colour: token("--mode"), width: width(number(line)) } })));
  content.overlays.nodes = collection(stops.map((stop) => ({ ...stop, properties: {} })));
  const steps = [...new Set(Array.from({ length: STEPS }, (_, i) => Math.max(Math.round((most * (STEPS - i)) / STEPS), 1)))];
  content.groups.unshift({
    title: t`Departures an hour, ${words}`,
    rows: steps.map((step): LegendRow => ({ key: "", label: figure(step), swatch: { kind: "line", line: "var(--mode)", width: 1.4 * width(step) } })),
    note: t`One way, the busier one. Stops show from street scale on.`,
  });
}

/** The streets that a what-if changes, hatched in its colour; without lines while the streets are shown as they are. */
export function changesShown(content: MapContent, { whatIfs }: Overview, scope: string, changes: FeatureCollection | null): void {
  const nth = whatIfs.findIndex(({ id }) => id === scope);
  const ink = inkOf(nth + 1);
  const count = (change: string) => (changes?.features ?? []).filter(({ properties }) => properties?.change === change).length;
  if (changes) content.overlays.changes = collection(changes.features.map((feature) => ({ ...feature, properties: { ...feature.properties, colour: token(ink), gone: feature.properties?.change === "gone" } })));
  const rows: [string, string][] = [["new", t`New street`], ["changed", t`Changed street`], ["gone", t`Taken out`]];
  content.groups.unshift({
    title: t`What if ${whatIfs[nth]?.title ?? ""}?`,
    rows: rows.filter(([change]) => count(change)).map(([change, label]): LegendRow => ({ key: "", label, count: count(change), swatch: { kind: change === "gone" ? "dash" : "hatch", line: `var(${ink})` } })),
    note: changes ? t`Hold B to see the streets without it.` : t`The streets as they are.`,
  });
}

/** The lines by public transport that a what-if adds, with their stops. */
export function linesShown(content: MapContent, lines: DrawnLine[]): void {
  if (lines.length === 0) return;
  const colour = token("--mode");
  content.overlays.routes = collection(lines.map(({ name, stops }): Feature => ({ type: "Feature", properties: { name, colour }, geometry: { type: "LineString", coordinates: stops } })));
  content.overlays.ends = collection(lines.flatMap(({ stops }) => stops).map((at): Feature => ({ type: "Feature", properties: {}, geometry: { type: "Point", coordinates: at } })));
  content.groups.unshift({ title: t`Lines added`, rows: lines.map(({ name, kind }): LegendRow => ({ key: "", label: `${kindWord(kind)} ${name}`, swatch: { kind: "line", line: "var(--mode)", width: 3 } })) });
}

/** The bands of a reach that is shown while streets are edited. */
export function reachLegend(content: MapContent, limits: number[], metres: boolean): void {
  const inks = bands(Math.max(limits.length, 1));
  content.groups.unshift({
    title: t`Streets in reach`,
    rows: limits.map((limit, i) => ({ key: "", label: metres ? t`to ${limit} m` : t`to ${limit} min`, swatch: { kind: "line", line: inks[i]?.street ?? "", width: 3 } })),
  });
}

/** How parts beyond this rank are drawn and listed: together. */
const PARTS_APART = 4;
const PART_INKS = ["var(--place)", "var(--time)", "var(--mode)"];

export function partsShown(content: MapContent, overview: Overview, mode: string, cutOff: FeatureCollection, hidden: Hidden): void {
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
    .map(({ rank, km }) => ({ key: key(rank), label: t`Part ${rank + 1}, ${km.toFixed(1)} km`, swatch: { kind: "line", line: colour(rank) } }));
  if (info.parts.count > PARTS_APART) rows.push({ key: key(PARTS_APART), label: t`Smaller parts`, count: info.parts.count - PARTS_APART, swatch: { kind: "line", line: colour(PARTS_APART + 1) } });
  if (cutOff.features.some((feature) => rankOf(feature) < 0)) rows.push({ key: key(-1), label: t`One-way trap`, swatch: { kind: "line", line: colour(-1) } });
  content.groups.push({ title: t`Parts, ${info.title.toLowerCase()}`, rows, note: t`The largest part is drawn in ink.` });
}

const resolved = (colour: string) => (colour.startsWith("var(") ? token(colour.slice(4, -1)) : colour);

export function ground(layers: LayerInfo[], plain: boolean): LegendGroup {
  const rows: LegendRow[] = plain
    ? []
    : [
        { key: "", label: t`Main street`, swatch: { kind: "line", line: "var(--st-main)" } },
        { key: "", label: t`Street, lane`, swatch: { kind: "line", line: "var(--st-minor)" } },
      ];
  const known: LegendRow[] = [
    { key: "water", label: t`Water`, swatch: { kind: "area", fill: "var(--water)", line: "var(--water-edge)" } },
    { key: "green", label: t`Green, field`, swatch: { kind: "area", fill: "var(--green)", line: "var(--green-edge)" } },
    { key: "building", label: t`Building`, swatch: { kind: "area", fill: "var(--building)", line: "var(--building-edge)" } },
    { key: "rail", label: t`Railway`, swatch: { kind: "dash", line: "var(--st-sec)" } },
  ];
  rows.push(...known.filter(({ key }) => layers.some(({ id }) => id === key)));
  rows.push({ key: "names", label: t`Names`, swatch: { kind: "line", line: "transparent" } });
  return { title: t`Ground`, rows };
}

