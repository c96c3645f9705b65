/** What the map shows of the layer that is looked at in Sources. */
import { t } from "@lingui/core/macro";
import type { FeatureCollection } from "geojson";
import type { LayerInfo } from "../../api/studies";
import type { MapContent } from "../../map/content";
import { collection } from "../../map/shapes";

type Hidden = Record<string, boolean>;

export function layerShown(content: MapContent, info: LayerInfo, features: FeatureCollection, chosen: number[], hidden: Hidden): void {
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
      { key: "layer", label: t`Feature`, count: info.count, swatch: { kind, fill: "var(--place-wash)", line: "var(--place)" } },
      { key: "", label: t`Selected`, count: chosen.length, swatch: { kind: line ? "line" : "area", fill: "var(--thread-wash)", line: "var(--thread)" } },
    ],
    note: info.count > features.features.length ? t`The first ${features.features.length} are drawn.` : t`Click a feature to select it.`,
  });
}

