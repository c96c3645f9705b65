/** The map of the study on the screen. Nothing lies on it: legend and scale stand in the margin. */
import { useCallback, useEffect, useMemo, useState } from "react";
import type { Packed } from "../../api/packed";
import type { Overview } from "../../api/studies";
import type { MapContent } from "../../map/content";
import { MapCanvas, type Ground, type Standing } from "../../map/MapCanvas";
import type { Scene } from "../../map/scene";
import { useScreen } from "../../state/screen";
import { useAnswerInView, useGhostsInView, useGoTo } from "./answerInView";
import { useClicks, useDrawing } from "./clicks";
import { useStreets } from "./liveStreets";
import { useSketching } from "./sketching";
import { useShownWhatIfs } from "../../state/editing";
import { useOwnWay } from "./ownWay";
import { streetName, usePins } from "./pins";
import { usePlaying } from "./playing";
import { usePeople } from "../playing/usePeople";

type Props = { overview: Overview; streets: Packed | null; content: MapContent; onScale: (metresPerPixel: number) => void };

export default function StudyMap({ overview, streets, content, onScale }: Props) {
  const { id: study, revision, bounds, drawn, layers, modes } = overview;
  const { theme, hidden, stage, opacity, label } = useScreen("theme", "hidden", "stage", "opacity", "label");
  const [standing, setStanding] = useState<Standing | null>(null);
  const scene = standing?.scene ?? null;
  const ground = useMemo((): Ground | null => bounds && { study, revision, bounds, drawn, layers: layers.map(({ id }) => id) }, [study, revision, bounds, drawn, layers]);
  // Links are lettered where the legend can switch it.
  const hiddenHere = useMemo(() => (stage === "streets" && !drawn ? hidden : { ...hidden, "link-numbers": true }), [stage, drawn, hidden]);

  const shownWith = useShownWhatIfs(overview);
  useStreets(standing, study, `${revision} ${shownWith.version} ${modes.map(({ id, changed }) => id + changed).join()}`, content.streets, shownWith.ids);
  usePins(scene, study);
  usePlaying(scene, study);
  usePeople(standing, study);
  useAnswerInView(scene, study);
  useClicks(scene, study, shownWith.ids);
  useDrawing(scene);
  useSketching(scene, overview, streets);
  const nameThere = useCallback((at: [number, number], by: string) => streetName(study, at, by), [study]);
  useOwnWay(standing, study, nameThere);
  useGoTo(scene);
  useGhostsInView(scene);
  usePointer(scene);
  if (!ground) return null;
  return (
    <MapCanvas
      ground={ground}
      theme={theme}
      streets={streets}
      content={content}
      opacity={opacity}
      hidden={hiddenHere}
      label={label ?? (drawn ? "length" : null)}
      onScale={onScale}
      onStanding={setStanding}
    />
  );
}

/** Where the pointer stands is written in the margin. */
function usePointer(scene: Scene | null): void {
  useEffect(() => {
    if (!scene) return;
    const move = ({ lngLat }: { lngLat: { lng: number; lat: number } }) => {
      const output = document.querySelector("[data-pointer]");
      if (output) output.textContent = `${lngLat.lat.toFixed(5)}, ${lngLat.lng.toFixed(5)}`;
    };
    scene.map.on("mousemove", move);
    return () => void scene.map.off("mousemove", move);
  }, [scene]);
}
