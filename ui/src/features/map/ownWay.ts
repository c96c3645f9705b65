/** A way of one's own: the drawn route is taken anywhere and dragged to where one would have gone. */
import type { Feature, LineString, MultiLineString } from "geojson";
import { useEffect } from "react";
import { isPointSet, pointFeature, type PointFeature, type PointSet } from "../../api/inputs";
import type { Standing } from "../../map/MapCanvas";
import { useAnswer, useSheet, useSheetActions, type QuestionBlock } from "../../state/sheet";
import { useScreen } from "../../state/screen";

type Position = [number, number];

/** The vertex of a line that is nearest to a point, on the flat map. */
export function nearestVertex(line: number[][], [lng, lat]: Position): number {
  const shrink = Math.cos((lat * Math.PI) / 180);
  const away = line.map(([x = 0, y = 0]) => ((x - lng) * shrink) ** 2 + (y - lat) ** 2);
  return away.indexOf(Math.min(...away));
}

/** Points of one's own way with another among them, in the order in which the drawn way passes them. */
export function withPoint(points: PointFeature[], added: PointFeature, grabbed: Position, line: number[][]): PointFeature[] {
  const at = nearestVertex(line, grabbed);
  const before = points.filter(({ geometry }) => nearestVertex(line, geometry.coordinates) <= at);
  return [...before, added, ...points.filter((point) => !before.includes(point))];
}

const vertices = (feature: Feature | undefined): number[][] => {
  const shape = feature?.geometry as LineString | MultiLineString | undefined;
  return shape ? (shape.type === "LineString" ? shape.coordinates : shape.coordinates.flat()) : [];
};

/** Let the route of the selected question be dragged; `named` finds the name of the street where it is let go. */
export function useOwnWay(standing: Standing | null, study: string, named: (at: Position, mode: string) => Promise<string>): void {
  const { stage, question, picking } = useScreen("stage", "question", "picking");
  const { data: sheet } = useSheet(study);
  const { data: answer } = useAnswer(study, stage === "sheet" ? question : null);
  const { change } = useSheetActions(study);
  const block = sheet?.blocks.find((one): one is QuestionBlock => one.kind === "question" && one.id === question);
  const dragged = answer?.result.view.map?.drag;
  useEffect(() => {
    if (!standing?.styled || picking || stage !== "sheet" || !block || !dragged) return;
    const { part, into } = dragged;
    const line = vertices((answer?.result[part] as { features: Feature[] } | undefined)?.features[0]);
    if (line.length < 2) return;
    return standing.scene.onRouteDrag((grabbed, dropped) => {
      void (async () => {
        const former = block.inputs[into];
        const kept = isPointSet(former) ? former.features : [];
        const added = pointFeature(dropped[0], dropped[1], await named(dropped, block.inputs.mode ?? "walk"));
        const points: PointSet = { type: "FeatureCollection", features: withPoint(kept, added, grabbed, line) };
        await change(block, { ...block.inputs, [into]: points });
      })();
    });
  }, [standing, picking, stage, block, answer, dragged, change, named]);
}
