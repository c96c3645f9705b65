/** A way of one's own: the drawn route is taken anywhere and dragged to where one would have gone. */
import type { Feature, LineString, MultiLineString } from "geojson";
import { useEffect } from "react";
import type { PointFeature, PointSet } from "../sheet/words";
import { isPointSet, pointFeature } from "../sheet/words";
import { useAnswer, useSheet, useSheetActions, type QuestionBlock } from "../state/sheet";
import { useScreen } from "../state/store";
import type { Scene } from "./scene";

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
export function useOwnWay(scene: Scene | null, styled: number, study: string, named: (at: Position, mode: string) => Promise<string>): void {
  const { stage, question, picking } = useScreen();
  const { data: sheet } = useSheet(study);
  const { data: answer } = useAnswer(study, stage === "sheet" ? question : null);
  const { change } = useSheetActions(study);
  const block = sheet?.blocks.find((one): one is QuestionBlock => one.kind === "question" && one.id === question);
  useEffect(() => {
    if (!scene || !styled || picking || stage !== "sheet" || block?.process !== "route" || answer?.process !== "route") return;
    const line = vertices((answer.result.routes as { features: Feature[] } | undefined)?.features[0]);
    if (line.length < 2) return;
    return scene.onRouteDrag((grabbed, dropped) => {
      void (async () => {
        const kept = isPointSet(block.inputs.expected) ? block.inputs.expected.features : [];
        const added = pointFeature(dropped[0], dropped[1], await named(dropped, String(block.inputs.mode ?? "walk")));
        const expected: PointSet = { type: "FeatureCollection", features: withPoint(kept, added, grabbed, line) };
        await change(block, { ...block.inputs, expected });
      })();
    });
  }, [scene, styled, picking, stage, block, answer, change, named]);
}
