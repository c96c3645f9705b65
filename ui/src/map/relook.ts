/** Looks given to single rows of the legend: another label, colour or width, on the map as in the legend. */
import type { Feature } from "geojson";
import type { Looks, RowLook } from "../api/own";
import type { LegendRow, MapContent } from "./content";
import { token } from "./look";
import type { Overlays } from "./scene";

/** By what a row is known: its group and what it says of itself. */
export const rowId = (group: string, row: LegendRow) => `${group}: ${row.label}`;

/** The colour that features of a row carry, as a hex code; null where a row stands for none. */
export function rowColour({ swatch }: LegendRow): string | null {
  const colour = swatch.kind === "line" || swatch.kind === "dash" ? swatch.line : swatch.kind === "area" || swatch.kind === "circle" ? swatch.fill : undefined;
  const found = colour?.startsWith("var(") ? token(colour.slice(4, -1)) : colour;
  return found && /^#[0-9a-f]{6}$/i.test(found) ? found.toLowerCase() : null;
}

/** Properties in which features carry colours. */
const INKS = ["fill", "colour", "line", "edge"];

/** The content as the looks have it. */
export function relooked(content: MapContent, looks: Looks): MapContent {
  const changed = new Map<string, RowLook>();
  const groups = content.groups.map((group) => ({
    ...group,
    rows: group.rows.map((row): LegendRow => {
      const id = rowId(group.title, row);
      const look = looks[id];
      if (!look) return { ...row, id };
      const colour = rowColour(row);
      if (colour) changed.set(colour, look);
      return { ...row, id, label: look.label ?? row.label, swatch: swatchOf(row, look) };
    }),
  }));
  if (changed.size === 0) return { ...content, groups };
  const overlays = Object.fromEntries(
    Object.entries(content.overlays).map(([name, data]) => [name, { ...data, features: data.features.map((feature) => featureOf(feature, changed)) }]),
  ) as Overlays;
  return { ...content, groups, overlays };
}

function swatchOf({ swatch }: LegendRow, { colour, width }: RowLook): LegendRow["swatch"] {
  const inked = swatch.kind === "line" || swatch.kind === "dash" ? { line: colour ?? swatch.line ?? "" } : { fill: colour ?? swatch.fill ?? "" };
  return { ...swatch, ...inked, ...(width === undefined ? {} : { width: (swatch.width ?? 2.4) * width }) };
}

function featureOf(feature: Feature, changed: Map<string, RowLook>): Feature {
  const properties: Record<string, unknown> = { ...feature.properties };
  for (const ink of INKS) {
    const look = changed.get(String(properties[ink]).toLowerCase());
    if (look?.colour) properties[ink] = look.colour;
    if (look?.width !== undefined) properties.thick = look.width;
  }
  return { ...feature, properties };
}
