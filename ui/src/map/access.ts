/** What the map and its legend show of `access`: zones by a figure, people not served as dots, and candidates. */
import type { Feature } from "geojson";
import { figure } from "../common/format";
import type { Answer } from "../state/sheet";
import { collection, part } from "./answers";
import { breaks, classOf, classWords, figuresOf, type Classing, type Shown } from "./choropleth";
import type { LegendRow, MapContent } from "./content";
import { changeRamp, shareRamp, token } from "./look";

type Hidden = Record<string, boolean>;
/** What zones are coloured by, for the legend to change. */
export type ZoneLook = { field: string | null; classing: Classing; own: number[] | null };
type CurveRow = Record<string, number | string>;

/** Shares within so many minutes by zone, of the answer's rows. */
export function sharesAt(answer: Answer, minute: number): Map<string, number> {
  const rows = (answer.result.curves ?? []) as CurveRow[];
  return new Map(rows.map((row) => [String(row.zone), Number(row[`within_${minute}`])]));
}

export function accessShown(content: MapContent, answer: Answer, hidden: Hidden, row: string | null, look: ZoneLook, minute: number | null): void {
  const figures = figuresOf(answer);
  const chosen = figures.find(({ field }) => field === look.field) ?? figures[0];
  if (!chosen) return;
  const shown: Shown = minute === null ? chosen : { field: "", title: `People within ${minute} min`, unit: "%", fixed: [0, 20, 40, 60, 80, 100] };
  const shares = minute === null ? null : sharesAt(answer, minute);
  const zones = part(answer, "zones")?.features ?? [];
  const valueOf = (feature: Feature) => (shares ? shares.get(String(feature.properties?.zone)) : (feature.properties?.[shown.field] as unknown));
  const values = zones.map(valueOf).filter((value): value is number => typeof value === "number" && Number.isFinite(value));
  const classing = shares ? "equal" : look.classing;
  const limits = breaks(values, classing, shown.fixed, look.own);
  const ramp = shown.diverging ? changeRamp(limits.length - 1) : shareRamp(limits.length - 1);
  const step = (feature: Feature) => classOf(valueOf(feature), limits);
  content.overlays.zones = collection(
    zones
      .filter((feature) => !hidden[`class-${step(feature)}`])
      .map((feature) => ({ ...feature, properties: { ...feature.properties, fill: ramp[step(feature)] ?? token("--sunk") } })),
  );
  const selected = zones.filter((feature) => feature.properties?.zone === row);
  if (selected.length) content.overlays.selection = collection(selected);
  content.bandCount = (answer.inputs.limits as number[]).length;
  content.streets = { kind: "plain" };
  const without = zones.filter((feature) => step(feature) < 0).length;
  const rows = limits.slice(1).map((_, i): LegendRow => ({
    key: `class-${i}`,
    label: classWords(limits, i, shown.unit),
    count: zones.filter((feature) => step(feature) === i).length,
    swatch: { kind: "area", fill: ramp[i] ?? "", line: "var(--rule-2)" },
  }));
  if (without > 0) rows.push({ key: "class--1", label: "no value here", count: without, swatch: { kind: "area", fill: "var(--sunk)", line: "var(--rule-2)" } });
  content.groups.push({
    title: shown.title,
    rows,
    ...(minute === null
      ? { zones: { of: "zones", field: shown.field, classing: look.classing, limits, figures: figures.map(({ field, title }): [string, string] => [field, title.replace(", points", "")]) } }
      : { note: "The minute is that of the cursor on the curve." }),
  });
  const points = [...unservedShown(content, answer, hidden), ...candidatesShown(content, answer, hidden, row)];
  if (points.length) content.overlays.graded = collection(points);
}

/** People beyond the last limit, each dot for so many. */
function unservedShown(content: MapContent, answer: Answer, hidden: Hidden): Feature[] {
  const dots = part(answer, "unserved")?.features ?? [];
  const per = Number(dots[0]?.properties?.people ?? 0);
  if (dots.length === 0) return [];
  const limits = answer.inputs.limits as number[];
  content.groups[content.groups.length - 1]?.rows.push({
    key: "unserved",
    label: `${figure(per)} ${per === 1 ? "person" : "people"} beyond ${limits[limits.length - 1] ?? ""} min`,
    swatch: { kind: "circle", fill: "var(--b2)" },
  });
  if (hidden.unserved) return [];
  const colour = token("--b2");
  return dots.map((feature) => ({ ...feature, properties: { colour, radius: 1.7, bare: true } }));
}

/** Candidates: filled where they belong to the best choice. */
function candidatesShown(content: MapContent, answer: Answer, hidden: Hidden, row: string | null): Feature[] {
  const candidates = part(answer, "candidates")?.features ?? [];
  if (candidates.length === 0) return [];
  const best = candidates.filter(({ properties }) => properties?.chosen === true);
  content.groups.push({
    title: "Candidates",
    rows: [
      { key: "candidates-best", label: "In the best choice", count: best.length, swatch: { kind: "circle", fill: "var(--thread)" } },
      { key: "candidates-other", label: "Left out", count: candidates.length - best.length, swatch: { kind: "circle" } },
    ],
  });
  const [full, empty] = [token("--thread"), token("--page")];
  return candidates
    .filter(({ properties }) => !hidden[properties?.chosen === true ? "candidates-best" : "candidates-other"])
    .map((feature) => ({
      ...feature,
      properties: { name: feature.properties?.name as string, colour: feature.properties?.chosen === true ? full : empty, radius: 6, chosen: feature.properties?.name === row },
    }));
}
