/** What the map shows of a mode: its usable streets, or a value of theirs in bands. */
import { t } from "@lingui/core/macro";
import type { Overview } from "../../api/studies";
import type { LegendRow, MapContent } from "../../map/content";
import { bands } from "../../map/look";
import { modeBands, type ModeLook } from "./modeBands";

export function modesStage(content: MapContent, overview: Overview, look: ModeLook): void {
  const { mode, at, colour } = look;
  const beside = colour === "beside" ? look.beside : null;
  content.streets = { kind: "mode", mode, at, beside };
  const info = overview.modes.find(({ id }) => id === mode);
  const other = overview.modes.find(({ id }) => id === beside);
  const unused: LegendRow = { key: "", label: other ? t`Used by neither` : t`Not used`, swatch: { kind: "dash", line: "var(--st-fade)" } };
  const note = t`What is faded is never used, here or in an answer.`;
  if (colour === "use" || !info || info.problem || (colour === "beside" && !other)) {
    const inks: [string, string][] = [[t`Main street`, "var(--st-main)"], [t`Street, lane`, "var(--st-minor)"]];
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

