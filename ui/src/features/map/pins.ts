/** Points of the selected question on the map, and what can be done with them there. */
import { t } from "@lingui/core/macro";
import { useEffect } from "react";
import { isPointSet, pointFeature, type PointSet } from "../../api/inputs";
import { near } from "../../api/studies";
import type { Scene } from "../../map/scene";
import { screenNow, useScreen } from "../../state/screen";
import { useProcesses, useSheet, useSheetActions, type QuestionBlock } from "../../state/sheet";

/** Points of the selected question that were set on the map can be dragged there. */
export function usePins(scene: Scene | null, study: string): void {
  const { question, stage } = useScreen("question", "stage");
  const { data: sheet } = useSheet(study);
  const { change } = useSheetActions(study);
  const { data: processes } = useProcesses(study);
  const block = sheet?.blocks.find((b): b is QuestionBlock => b.kind === "question" && b.id === question);
  const words = processes?.find(({ id }) => id === block?.process)?.["x-awl"];
  useEffect(() => {
    if (!scene) return;
    const slot = block ? Object.keys(block.inputs).find((name) => words?.slots[name]?.control === "place" && isPointSet(block.inputs[name])) : undefined;
    if (stage !== "sheet" || !block || !slot) {
      scene.setPins([]);
      return;
    }
    const set = block.inputs[slot] as PointSet;
    const moved = (i: number, at: [number, number], name?: string): PointSet => ({
      ...set,
      features: set.features.map((feature, j) => (i === j ? pointFeature(at[0], at[1], name ?? feature.properties.name) : feature)),
    });
    scene.setPins(
      set.features.map((feature, i) => ({
        name: feature.properties.name ?? t`Point ${i + 1}`,
        lngLat: feature.geometry.coordinates,
        onDrag: (at, done) => {
          const inputs = { ...block.inputs, [slot]: moved(i, at) };
          if (!done) {
            if (words?.live) screenNow().drag({ question: block.id, inputs });
            return;
          }
          void (async () => {
            const name = await streetName(study, at, block.inputs.mode);
            await change(block, { ...block.inputs, [slot]: moved(i, at, name) });
            screenNow().drag(null);
          })();
        },
      })),
    );
  }, [scene, block, words, stage, study, change]);
}

/** The name of the street at a point, or a plain word for it. */
export async function streetName(study: string, at: [number, number], mode = "walk"): Promise<string> {
  try {
    const street = await near(study, at[0], at[1], mode, 150);
    return street.name ?? t`unnamed ${street.highway.replaceAll("_", " ")}`;
  } catch {
    return t`a point off the streets`;
  }
}
