/** Draws the view of an answer: features of its parts painted by rows of the legend. Nothing here knows what was asked. */
import { plural, t } from "@lingui/core/macro";
import type { Feature, FeatureCollection } from "geojson";
import type { components } from "../api/schema";
import type { Looks, RowLook } from "../api/studies";
import type { Results } from "../api/client";
import { clockOfDay, figure } from "../common/format";
import { breaks, classOf, classWords, countBreaks, countWords, type Classing } from "./choropleth";
import type { LegendGroup, LegendRow, MapContent } from "./content";
import { dotsOf, over, type DotKind } from "./dots";
import { bands, changeRamp, shareRamp, tints, token } from "./look";
import { approaches, collection, loadSteps, smoothed } from "./shapes";
import type { Overlay } from "./style";

type Schemas = components["schemas"];
export type MapLayer = Schemas["MapLayer"];
type Paint = Schemas["Paint"];
type Grades = Schemas["Grades"];
type Widths = Schemas["Widths"];

/** What of an answer the reader has chosen: rows that are switched off, the selected row, fields and classes, looks. */
export type Choice = {
  hidden: Record<string, boolean>;
  row: string | null;
  look: GradeLook;
  /** The step of the chart that graded features follow; null while they are graded by a field. */
  step: number | null;
  looks: Looks;
  /** The path of the selected row. */
  path: Feature | null;
};
export type GradeLook = { field: string | null; classing: Classing; own: number[] | null };

/** Points above so many of which a layer says that it has many. */
const SMALL = 2.2;
const ELSE = "*";

/** The features of a part; rows without geometry are none. */
export const featuresOf = (result: Results, part: string): Feature[] => (result[part] as FeatureCollection | undefined)?.features ?? [];

/** The hex code of an ink, as it is used for a fill, a line, or streets. */
export function inkOf(name: string | null | undefined, use: "fill" | "line" | "street"): string {
  const [kind = "", rest = ""] = (name ?? "").split(":");
  const [i = 0, count = 1] = rest.split("/").map(Number);
  if (kind === "token") return token(`--${rest}`);
  if (kind === "band") return bands(count)[i]?.[use] ?? "";
  if (kind === "share") return shareRamp(count)[i] ?? "";
  if (kind === "change") return changeRamp(count)[i] ?? "";
  return kind === "tint" ? (tints(i + 1)[i] ?? "") : "";
}

/** The same for a swatch, where inks of the theme stay names. */
const swatchInk = (name: string | null | undefined, use: "fill" | "street") => (name?.startsWith("token:") ? `var(--${name.slice(6)})` : inkOf(name, use));

/** Put an answer on the map and in the legend. */
export function viewShown(content: MapContent, result: Results, choice: Choice): void {
  const { map } = result.view;
  const graded = map?.layers?.map((layer) => (layer.grades ? gradesShown(content, result, layer, layer.grades, choice) : null));
  const field = graded?.find((one) => one !== null) ?? null;
  map?.layers?.forEach((layer) => {
    if (layer.widths) widthsShown(content, result, layer, layer.widths, choice, field);
    else if (layer.classes) classesShown(content, result, layer, layer.classes, choice);
  });
  for (const { id, title, rows, note } of map?.legend ?? []) {
    const shown = rows.map((row) => legendRow(row, title, choice.looks));
    const last = content.groups[content.groups.length - 1];
    // Rows without a title of their own stand with those above.
    if (title === "" && last) last.rows.push(...shown);
    else content.groups.push({ id, title, rows: shown, ...(note ? { note } : {}) });
  }
  if (choice.path) put(content, "routes", [{ ...choice.path, properties: { colour: token("--thread") } }]);
}

/** How a row looks: as the view has it, or as the sheet says. Sheets of earlier versions know rows by what they say. */
function lookOf(looks: Looks, id: string, title: string, label: string): RowLook | undefined {
  return looks[id] ?? looks[`${title}: ${label}`];
}

function legendRow({ id, label, swatch, count, fixed }: Schemas["LegendRow"], title: string, looks: Looks): LegendRow {
  const look = lookOf(looks, id, title, label);
  const made: LegendRow = {
    key: fixed ? "" : id,
    id,
    label: look?.label ?? label,
    ...(count == null ? {} : { count }),
    swatch: {
      kind: swatch.kind,
      ...(swatch.fill ? { fill: swatchInk(swatch.fill, "fill") } : {}),
      ...(swatch.line ? { line: swatchInk(swatch.line, "street") } : {}),
      ...(swatch.width == null ? {} : { width: swatch.width }),
    },
  };
  return dressed(made, look);
}

/** A row with the colour and width it was given. */
function dressed(row: LegendRow, look: RowLook | undefined): LegendRow {
  if (!look) return row;
  const lined = row.swatch.kind === "line" || row.swatch.kind === "dash";
  const swatch = { ...row.swatch };
  if (look.colour) swatch[lined ? "line" : "fill"] = look.colour;
  if (look.width !== undefined) swatch.width = (swatch.width ?? 2.4) * look.width;
  return { ...row, label: look.label ?? row.label, swatch };
}

/** Add features to what an overlay holds. */
function put(content: MapContent, overlay: Overlay, features: Feature[]): void {
  content.overlays[overlay] = collection([...(content.overlays[overlay]?.features ?? []), ...features]);
}

const chosen = (layer: MapLayer, feature: Feature, row: string | null) => row !== null && !!layer.key && String(feature.properties?.[layer.key]) === row;

/** Features of a part told apart by the values of a field. */
function classesShown(content: MapContent, result: Results, layer: MapLayer, { of, field }: Schemas["Classes"], choice: Choice): void {
  const paintOf = (feature: Feature): Paint | undefined => (field ? of[String(feature.properties?.[field])] : undefined) ?? of[ELSE];
  const rank = Object.keys(of);
  const place = (feature: Feature) => rank.indexOf(String(feature.properties?.[field ?? ""]));
  const titles = new Map((result.view.map?.legend ?? []).flatMap(({ title, rows }) => rows.map(({ id, label }) => [id, { title, label }] as const)));
  // The nearest band lies on top, and so does the route that leads.
  const ordered = layer.sort || layer.drawn === "routes" ? [...featuresOf(result, layer.part)].sort((a, b) => place(b) - place(a)) : featuresOf(result, layer.part);
  const painted = ordered.flatMap((feature): Feature[] => {
    const paint = paintOf(feature);
    if (!paint || choice.hidden[paint.row]) return [];
    const { title = "", label = "" } = titles.get(paint.row) ?? {};
    return [drawn(layer, feature, paint, lookOf(choice.looks, paint.row, title, label), choice.row)];
  });
  const features = layer.drawn === "contours" && choice.hidden.contours ? [] : painted;
  if (layer.drawn === "dots") content.dots = over(content.dots, dotsOf(features, (i) => features[i]?.properties as DotKind | undefined, () => null));
  else put(content, OVERLAY[layer.drawn], features);
  if (layer.drawn === "contours") put(content, "contour-names", features.map(smoothed));
  if (layer.approach) put(content, "approaches", features.flatMap((route) => approaches(route, featuresOf(result, layer.approach ?? ""))));
  const selected = featuresOf(result, layer.part).filter((feature) => chosen(layer, feature, choice.row));
  if (SELECTED.has(layer.drawn) && selected.length) put(content, "selection", selected);
}

/** What each way of drawing is drawn by. */
const OVERLAY: Record<Exclude<MapLayer["drawn"], "dots">, Overlay> = {
  areas: "areas", contours: "contours", zones: "zones", routes: "routes", lines: "owned", shapes: "found", points: "graded", pins: "places",
};
/** What is outlined where its row is selected; points carry that themselves. */
const SELECTED: ReadonlySet<MapLayer["drawn"]> = new Set(["areas", "zones", "shapes"] as const);

/** A feature with what its overlay draws it by. */
function drawn(layer: MapLayer, feature: Feature, paint: Paint, look: RowLook | undefined, row: string | null): Feature {
  const own = feature.properties ?? {};
  const fill = look?.colour ?? inkOf(paint.fill, "fill");
  const line = look?.colour ?? inkOf(paint.line, "line");
  const thick = look?.width === undefined ? {} : { thick: look.width };
  const label = layer.label ? (own[layer.label] as unknown) : undefined;
  const is = chosen(layer, feature, row);
  const opacity = paint.opacity == null ? {} : { opacity: is ? 0.5 : paint.opacity };
  const by: Record<MapLayer["drawn"], () => Record<string, unknown>> = {
    areas: () => ({ ...own, fill, ...opacity }),
    contours: () => ({ ...own, line, label: `${String(own.limit)} ${layer.label ?? ""}`, ...thick }),
    zones: () => ({ ...own, fill }),
    routes: () => ({ colour: line, second: !!paint.second, ...thick }),
    lines: () => ({ colour: line, ...(paint.width == null ? {} : { width: paint.width }), ...thick }),
    shapes: () => ({ fid: own.fid as number, fill, edge: inkOf(paint.line, "line"), ...(paint.opacity == null ? {} : { opacity: paint.opacity }) }),
    points: () => ({ name: label, colour: fill, radius: paint.radius ?? 6, chosen: is }),
    dots: () => ({ colour: fill, radius: paint.radius ?? 2 }),
    pins: () => ({ ...own, used: !paint.second }),
  };
  return { ...feature, properties: by[layer.drawn]() };
}

type GradedFeature = { feature: Feature; level: number; kind: DotKind; selected: boolean };

/** Points as circles, the greatest on top; where they are many as dots, of which the selected one is ringed. */
function circlesShown(content: MapContent, layer: MapLayer, graded: GradedFeature[], many: boolean): void {
  const sorted = [...graded].sort((a, b) => a.level - b.level);
  const nameOf = ({ properties }: Feature) => (properties?.[layer.label ?? ""] as string | undefined) ?? "";
  if (many) content.dots = over(content.dots, dotsOf(sorted.map(({ feature }) => feature), (i) => sorted[i]?.kind, nameOf));
  const circles = many ? sorted.filter(({ selected }) => selected) : sorted;
  put(content, "graded", circles.map(({ feature, kind, selected }) => ({ ...feature, properties: { name: nameOf(feature), ...kind, chosen: selected } })));
}

/** Features graded by a number; returns the field by which they are. */
function gradesShown(content: MapContent, result: Results, layer: MapLayer, grades: Grades, choice: Choice): string | null {
  const known = grades.fields.filter(({ field }) => (result.schema[layer.part] ?? []).some(({ name }) => name === field));
  const first = known[0];
  if (!first) return null;
  const step = grades.frames && choice.step !== null ? frameOf(result, grades.frames, choice.step) : null;
  const by = known.find(({ field }) => field === choice.look.field) ?? first;
  const features = featuresOf(result, layer.part);
  const valueOf = (feature: Feature) => (step ? step.get(String(feature.properties?.[grades.frames?.key ?? ""])) : (feature.properties?.[by.field] as unknown));
  const all = features.map(valueOf);
  const values = all.filter((value): value is number => typeof value === "number" && Number.isFinite(value));
  const untouched = choice.look.field === null && choice.look.classing === "equal";
  const classing: Classing = step ? "equal" : untouched ? (grades.classing ?? "equal") : choice.look.classing;
  const counted = classing === "counts";
  const fixed = step ? first.breaks : by.breaks;
  const limits = counted ? countBreaks(values) : breaks(values, classing, fixed ?? undefined, choice.look.own);
  const unit = step ? (grades.frames?.unit ?? "") : (by.unit ?? "");
  const ramp = by.ramp === "change" && !step ? changeRamp(limits.length - 1) : shareRamp(limits.length - 1);
  const levels = all.map((value) => classOf(value, limits));
  const counts = new Map<number, number>();
  for (const level of levels) counts.set(level, (counts.get(level) ?? 0) + 1);
  const title = step ? (grades.frames?.title ?? "").replace("{}", figure(choice.step ?? 0, Number.isInteger(choice.step) ? 0 : 1)) : by.title;
  const id = (i: number) => `${grades.id}:${i}`;
  const words = (i: number) => (i < 0 ? t`no value here` : counted ? countWords(limits, i) : classWords(limits, i, unit));
  const look = (i: number) => lookOf(choice.looks, id(i), title, words(i));
  const colour = (i: number) => look(i)?.colour ?? ramp[i] ?? token("--sunk");
  const area = layer.drawn === "zones";
  const lined = layer.drawn === "lines";
  const many = !!grades.many && features.length > grades.many;
  const kinds = new Map([...counts.keys()].map((i) => [i, { colour: colour(i), radius: many ? SMALL : 4 + Math.max(i, 0) }]));
  const graded = features.flatMap((feature, row): GradedFeature[] => {
    const level = levels[row] ?? -1;
    return choice.hidden[id(level)] ? [] : [{ feature, level, kind: kinds.get(level) as DotKind, selected: chosen(layer, feature, choice.row) }];
  });
  if (area) put(content, "zones", graded.map(({ feature, kind }) => ({ ...feature, properties: { ...feature.properties, fill: kind.colour } })));
  else if (lined) put(content, "owned", graded.map(({ feature, kind }) => ({ ...feature, properties: { colour: kind.colour, width: 1.4 } })));
  else circlesShown(content, layer, graded, many);
  const selected = area || lined ? features.filter((feature) => chosen(layer, feature, choice.row)) : [];
  if (selected.length) put(content, "selection", selected);
  const row = (i: number): LegendRow => ({
    key: id(i),
    id: id(i),
    label: words(i),
    count: counts.get(i) ?? 0,
    swatch: lined
      ? { kind: "line", line: i < 0 ? "var(--sunk)" : (ramp[i] ?? ""), width: 3 }
      : { kind: area ? "area" : "circle", fill: i < 0 ? "var(--sunk)" : (ramp[i] ?? ""), line: area || i < 0 ? "var(--rule-2)" : "var(--ink)" },
  });
  const rows = [...limits.slice(1).map((_, i) => i), ...(counts.has(-1) ? [-1] : [])].map((i) => dressed(row(i), look(i)));
  const group: LegendGroup = { id: grades.id, title, rows };
  if (step) group.note = t`The minute under the cursor on the curve.`;
  else {
    const figures = known.map((one): [string, string] => [one.field, one.title.replace(", points", "")]);
    group.grades = { of: grades.of ?? "zones", field: by.field, classing, limits, figures, counts: grades.classing === "counts" };
    if (grades.note) group.note = grades.note;
  }
  content.groups.push(group);
  return by.field;
}

/** The values of a step of a chart by the key of its rows: those of the column whose limit is nearest to it. */
export function frameOf(result: Results, { part, key }: Schemas["Frames"], step: number): Map<string, number> {
  const steps = (result.schema[part] ?? []).filter(({ limit }) => limit != null);
  const column = steps.reduce<(typeof steps)[number] | undefined>((best, one) => (best && Math.abs((best.limit ?? 0) - step) <= Math.abs((one.limit ?? 0) - step) ? best : one), undefined);
  const rows = (result[part] ?? []) as Record<string, string | number>[];
  return new Map(column ? rows.map((row) => [String(row[key]), Number(row[column.name])]) : []);
}

/** Widest line, as a multiple of the thinnest that tells. */
const WIDEST = 6;
/** Width of a line by its number: by its root, so that small ones are seen, or in proportion, so that they vanish. */
export const widthOf = (number: number, most: number, scale: Widths["scale"]) =>
  scale === "linear" ? 0.25 + (5 * number) / Math.max(most, 1) : 0.8 + (WIDEST - 0.8) * Math.sqrt(number / Math.max(most, 1));

/** Lines as wide as a number on them says. */
function widthsShown(content: MapContent, result: Results, layer: MapLayer, widths: Widths, choice: Choice, graded: string | null): void {
  const lines = featuresOf(result, layer.part);
  if (lines.length === 0 || (widths.with_field && widths.with_field !== graded)) return;
  const step = widths.frames && choice.step !== null ? frameOf(result, widths.frames, choice.step) : null;
  const number = (feature: Feature) => (step ? (step.get(String(feature.properties?.[widths.frames?.key ?? ""])) ?? 0) : Number(feature.properties?.[widths.field]));
  const most = lines.reduce((max, feature) => Math.max(max, number(feature)), 1);
  const steps = loadSteps(most);
  const words = (count: number) => (widths.of === "people" ? t`${figure(count)} people` : plural(count, { one: "# trip", other: "# trips" }));
  const look = lookOf(choice.looks, widths.id, widths.title, words(steps[0] ?? 1));
  const colour = look?.colour ?? inkOf(widths.ink, "line");
  const thick = look?.width ?? 1;
  if (!choice.hidden[widths.id]) {
    const sorted = (step ? lines.filter((feature) => number(feature) > 0) : [...lines]).sort((a, b) => number(a) - number(b));
    put(content, "owned", sorted.map((feature) => ({ ...feature, properties: { colour, width: widthOf(number(feature), most, widths.scale), ...(thick === 1 ? {} : { thick }) } })));
  }
  const rows = steps.map((step, i): LegendRow => {
    const swatch = { kind: "line" as const, line: look?.colour ?? swatchInk(widths.ink, "street"), width: 1.4 * thick * widthOf(step, most, widths.scale) };
    return { key: i === 0 ? widths.id : "", ...(i === 0 ? { id: widths.id } : {}), label: i === 0 ? (look?.label ?? words(step)) : words(step), swatch };
  });
  const note = choice.path ? t`The chosen trip is drawn in thread.` : widths.note;
  const title = step ? (widths.frames?.title ?? "").replace("{}", clockOfDay(choice.step ?? 0)) : widths.title;
  content.groups.push({ id: widths.id, title, rows, ...(note ? { note } : {}) });
}

/** Another answer beside the selected one, in outline alone. */
export function outlineShown(content: MapContent, result: Results, title: string, ink: string): void {
  const name = (result.view.map?.outline ?? []).find((one) => featuresOf(result, one).length > 0);
  const colour = token(ink);
  if (name) content.overlays.overlaid = collection(featuresOf(result, name).map((feature) => ({ ...feature, properties: { colour } })));
  content.groups.push({
    id: "other",
    title: t`The other answer`,
    rows: [{ key: "", label: title, swatch: { kind: "dash", line: `var(${ink})`, width: 2.4 } }],
    ...(name ? {} : { note: t`This answer has nothing that can be drawn in outline.` }),
  });
}

/** The colour of a row as a hex code, for its editor; null where a row stands for none. */
export function rowColour({ swatch }: LegendRow): string | null {
  const colour = swatch.kind === "line" || swatch.kind === "dash" ? swatch.line : swatch.kind === "area" || swatch.kind === "circle" ? swatch.fill : undefined;
  const found = colour?.startsWith("var(") ? token(colour.slice(4, -1)) : colour;
  return found && /^#[0-9a-f]{6}$/i.test(found) ? found.toLowerCase() : null;
}
