/** What the map and its legend show of `centrality`: places by an index, and streets by the trips that pass them. */
import type { Feature } from "geojson";
import type { Answer } from "../state/sheet";
import type { ZoneLook } from "./access";
import { collection, loadSteps, part } from "./answers";
import { breaks, classOf, classWords } from "./choropleth";
import type { LegendRow, MapContent } from "./content";
import { shareRamp, token } from "./look";

/** Above so many places dots are small and bare. */
const MANY = 1000;

export function centralityShown(content: MapContent, answer: Answer, hidden: Record<string, boolean>, row: string | null, look: ZoneLook): void {
  const indices = answer.inputs.indices as string[] | undefined;
  const figures = (indices ?? ["reach", "gravity", "closeness", "betweenness", "straightness"]).map((field): [string, string] => [field, field]);
  const field = figures.find(([known]) => known === look.field)?.[0] ?? figures[0]?.[0] ?? "reach";
  const places = part(answer, "places")?.features ?? [];
  const valueOf = (feature: Feature) => feature.properties?.[field] as unknown;
  const values = places.map(valueOf).filter((value): value is number => typeof value === "number");
  // Few places are very central: equal steps would paint all others alike.
  const classing = look.classing === "equal" && look.field === null ? "natural" : look.classing;
  const limits = breaks(values, classing, undefined, look.own);
  const ramp = shareRamp(limits.length - 1);
  const level = (feature: Feature) => classOf(valueOf(feature), limits);
  const many = places.length > MANY;
  if (field === "betweenness") passedShown(content, answer, hidden);
  content.overlays.graded = collection(
    places
      .filter((feature) => !hidden[`class-${level(feature)}`])
      .sort((a, b) => level(a) - level(b))
      .map((feature) => ({
        ...feature,
        properties: {
          name: feature.properties?.name as string,
          colour: ramp[level(feature)] ?? token("--sunk"),
          radius: many ? 2.2 : 4 + Math.max(level(feature), 0),
          chosen: feature.properties?.name === row,
          ...(many && feature.properties?.name !== row ? { bare: true } : {}),
        },
      })),
  );
  const without = places.filter((feature) => level(feature) < 0).length;
  const rows = limits.slice(1).map((_, i): LegendRow => ({
    key: `class-${i}`,
    label: classWords(limits, i, ""),
    count: places.filter((feature) => level(feature) === i).length,
    swatch: { kind: "circle", fill: ramp[i] ?? "", line: "var(--ink)" },
  }));
  if (without > 0) rows.push({ key: "class--1", label: "no value", count: without, swatch: { kind: "circle", fill: "var(--sunk)", line: "var(--rule-2)" } });
  content.groups.unshift({ title: field.replace(/^./, (first) => first.toUpperCase()), rows, zones: { of: "places", field, classing, limits, figures } });
}

/** Width of a street's line, in proportion to its trips: streets that are hardly passed are to vanish. */
const width = (trips: number, most: number) => 0.25 + (5 * trips) / most;

/** Streets by the trips between places that pass them. */
function passedShown(content: MapContent, answer: Answer, hidden: Record<string, boolean>): void {
  const streets = part(answer, "streets")?.features ?? [];
  if (streets.length === 0) return;
  const trips = (feature: Feature) => Number(feature.properties?.trips);
  const most = streets.reduce((max, feature) => Math.max(max, trips(feature)), 1);
  if (!hidden.passed) {
    const colour = token("--amount");
    content.overlays.owned = collection(
      [...streets].sort((a, b) => trips(a) - trips(b)).map((feature) => ({ ...feature, properties: { colour, width: width(trips(feature), most) } })),
    );
  }
  content.groups.push({
    title: "Trips between places",
    rows: loadSteps(most).map((step, i): LegendRow => ({
      key: i === 0 ? "passed" : "",
      label: step === 1 ? "1 trip" : `${step.toLocaleString("en")} trips`,
      swatch: { kind: "line", line: "var(--amount)", width: 1.4 * width(step, most) },
    })),
    note: "On best ways from each place to every other within the radius.",
  });
}
