/** A line that is measured on the map. */
import { t } from "@lingui/core/macro";
import { distance } from "../../common/format";
import type { MapContent } from "../../map/content";
import { collection, lineLength } from "../../map/shapes";

/** A line that is measured on the map, straight from point to point. */
export function measureShown(content: MapContent, line: [number, number][]): void {
  const metres = lineLength(line);
  if (line.length > 1) content.overlays.selection = collection([{ type: "Feature", properties: {}, geometry: { type: "LineString", coordinates: line } }]);
  if (line.length === 1) content.overlays.ends = collection([{ type: "Feature", properties: {}, geometry: { type: "Point", coordinates: line[0] ?? [0, 0] } }]);
  content.groups.unshift({
    title: t`Measured`,
    rows: [{ key: "", label: line.length < 2 ? t`Click point after point` : distance(metres, 2000), swatch: { kind: "dash", line: "var(--thread)" } }],
    note: t`Straight lines. Escape ends this.`,
  });
}

