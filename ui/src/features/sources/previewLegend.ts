/** The legend of a file that waits. */
import { t } from "@lingui/core/macro";
import type { LegendGroup } from "../../map/content";
import type { ImportDraft } from "../../state/screen";

/** What the map of a waiting extract shows. */
export function previewLegend({ upload, without, area }: ImportDraft): LegendGroup[] {
  if (upload.timetable) {
    const rows: LegendGroup["rows"] = [
      { key: "", label: t`Route`, swatch: { kind: "line", line: "var(--st-main)" } },
      { key: "", label: t`Stop`, swatch: { kind: "circle", line: "var(--place)" } },
    ];
    return [{ title: t`What came in`, rows, note: t`Each route along the shape that most of its trips have.` }];
  }
  if (!upload.extract) {
    const kinds = new Set(upload.layers.map(({ geometry }) => geometry));
    const rows: LegendGroup["rows"] = [];
    if (upload.graph ?? kinds.has("line")) rows.push({ key: "", label: t`Line`, swatch: { kind: "line", line: "var(--st-minor)" } });
    if (kinds.has("polygon")) rows.push({ key: "", label: t`Polygon`, swatch: { kind: "area", fill: "var(--place-wash)", line: "var(--st-minor)" } });
    if (kinds.has("point")) rows.push({ key: "", label: t`Point`, swatch: { kind: "circle", line: "var(--place)" } });
    const note = upload.graph?.drawn ? t`A drawing: lengths on the map mean nothing.` : t`As it lies on the ground, before anything is joined.`;
    return [{ title: t`What came in`, rows, note }];
  }
  const on = (upload.extract?.classes.length ?? 0) - without.length;
  const rows: LegendGroup["rows"] = [
    { key: "", label: t`Main street`, swatch: { kind: "line", line: "var(--st-main)" } },
    { key: "", label: t`Street, lane`, swatch: { kind: "line", line: "var(--st-minor)" } },
    { key: "", label: t`Path, track`, swatch: { kind: "line", line: "var(--st-path)" } },
    { key: "", label: t`Left out`, swatch: { kind: "line", line: "var(--st-fade)" } },
  ];
  if (area) rows.push({ key: "", label: t`Study area`, swatch: { kind: "dash", line: "var(--thread)" } });
  return [{ title: t`What came in`, rows, note: t`${on} of ${upload.extract?.classes.length ?? 0} classes are wanted.` }];
}
