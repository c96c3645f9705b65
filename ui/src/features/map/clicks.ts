/** What clicks on the map do: set a word that waits for a place, select, draw, or tell about the street there. */
import { useEffect } from "react";
import { isPointSet, NO_POINTS, pointFeature, valueAt, withValueAt } from "../../api/inputs";
import { near } from "../../api/studies";
import type { Scene } from "../../map/scene";
import { whileDrawing } from "../../map/whileDrawing";
import { screenNow, useScreen, useScreenValue } from "../../state/screen";
import { message } from "../../api/client";
import { useProcesses, useSheet, useSheetActions, type QuestionBlock } from "../../state/sheet";
import { streetName } from "./pins";

/** An area is drawn on the map when something waits for one. */
export function useDrawing(scene: Scene | null): void {
  const { drawing, draw } = useScreen("drawing", "draw");
  useEffect(() => {
    if (!scene || !drawing) return;
    return whileDrawing(scene.map, drawing.kind, (area) => {
      drawing.done(area);
      draw(null);
    });
  }, [scene, drawing, draw]);
}

/** From this zoom on a click on an area means the street there. */
const STREETS_FROM = 14.5;

/** A click sets a word that waits for a place; otherwise it tells about the street under it. */
export function useClicks(scene: Scene | null, study: string, whatIfs: string[]): void {
  const { picking, mode, stage, drawing, measuring } = useScreen("picking", "mode", "stage", "drawing", "measuring");
  const sketching = useScreenValue(({ sketch }) => sketch !== null);
  const aiming = useScreenValue(({ aim, placing }) => aim !== null || placing !== null);
  const shownWith = whatIfs.join();
  const { data: sheet } = useSheet(study);
  const { data: processes } = useProcesses(study);
  const { change } = useSheetActions(study);
  useEffect(() => {
    if (!scene || drawing || sketching) return;
    scene.map.getCanvas().style.cursor = picking || measuring || aiming ? "crosshair" : "";
    return scene.onClick((lng, lat, x, y) => {
      if (measuring) {
        screenNow().measure([lng, lat]);
        return;
      }
      const { placing, aim, clickAim, setPlacing, tell } = screenNow();
      if (placing) {
        setPlacing(null);
        placing([lng, lat]);
        return;
      }
      const reach = 12 * Math.max(scene.metresPerPixel, 0.5);
      if (aim) {
        // A junction may be moved to where no street is; all else is about a street.
        const within = aim.first && aim.act === "move" ? 5000 : reach;
        near(study, lng, lat, mode, within, null, shownWith ? shownWith.split(",") : []).then(
          (street) => clickAim({ street, at: [lng, lat], reach }),
          (error: unknown) => tell(message(error)),
        );
        return;
      }
      const block = sheet?.blocks.find((b): b is QuestionBlock => b.kind === "question" && b.id === picking?.question);
      if (picking && block) {
        void (async () => {
          const { slot, path = [slot] } = picking;
          const name = await streetName(study, [lng, lat], block.inputs.mode);
          const former = valueAt(block.inputs, path);
          const points = isPointSet(former) ? former : NO_POINTS;
          const features = [...points.features, pointFeature(lng, lat, name)];
          const least = processes?.find(({ id }) => id === block.process)?.["x-awl"].slots[slot]?.points?.least ?? 1;
          if (features.length >= least) screenNow().pick(null);
          await change(block, withValueAt(block.inputs, path, { ...points, features }));
        })();
        return;
      }
      if (stage === "sources") {
        const { chosen, layer, choose } = screenNow();
        const hit = layer ? scene.layerAt(x, y)[0] : undefined;
        if (hit !== undefined) choose(chosen.includes(hit) ? chosen.filter((fid) => fid !== hit) : [...chosen, hit]);
        return;
      }
      if (stage === "handout") return;
      if (stage === "sheet") {
        const { row, selectRow } = screenNow();
        const hit = scene.rowAt(x, y);
        // Among streets one looks at streets; from afar, and at buttons and circles, at what the table holds.
        if (hit && (hit.point || scene.map.getZoom() < STREETS_FROM)) {
          selectRow(hit.name === row ? null : hit.name);
          return;
        }
      }
      const { question, at, showStreet } = screenNow();
      const asked = stage === "sheet" ? (sheet?.blocks.find((b) => b.kind === "question" && b.id === question) as QuestionBlock | undefined)?.inputs : undefined;
      const questionMode = asked?.mode ?? mode;
      const hour = stage === "modes" ? at : (asked?.at ?? null);
      near(study, lng, lat, questionMode, reach, hour, shownWith ? shownWith.split(",") : []).then(
        (street) => showStreet(street),
        (error: unknown) => showStreet(null, stage === "sheet" ? null : message(error)),
      );
    });
  }, [scene, picking, study, sheet, processes, change, mode, stage, drawing, measuring, sketching, aiming, shownWith]);
}
