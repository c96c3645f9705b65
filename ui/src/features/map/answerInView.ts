/** Where the map looks: at an answer that it does not show, or at a place that was looked for. */
import { useEffect, useRef } from "react";
import { boxOf, extentOf, isSeen, within } from "../../map/extent";
import type { Scene } from "../../map/scene";
import { screenNow, useScreen, useScreenValue } from "../../state/screen";
import { useAnswer } from "../../state/sheet";

/** Go to an answer that the map does not show, once for each, and offer the way back. */
export function useAnswerInView(scene: Scene | null, study: string): void {
  const stage = useScreenValue((screen) => screen.stage);
  const question = useScreenValue((screen) => screen.question);
  const { data: answer } = useAnswer(study, stage === "sheet" ? question : null);
  const looked = useRef<{ question: string | null; made: string } | null>(null);
  useEffect(() => {
    if (!scene || !answer || stage !== "sheet") return;
    const which = { question, made: answer.made };
    if (looked.current?.question === question && looked.current.made === answer.made) return;
    const another = looked.current?.question !== question;
    looked.current = which;
    const box = extentOf(answer.result);
    const { setWayBack, live } = screenNow();
    if (!box || live || isSeen(box, scene.view(), another)) {
      if (another) setWayBack(null);
      return;
    }
    const back = scene.goTo(box);
    setWayBack(() => {
      back();
      setWayBack(null);
    });
    // Whoever moves the map by hand is where they want to be.
    return scene.onceMovedByHand(() => setWayBack(null));
  }, [scene, answer, question, stage]);
}

/** Go to what would be changed where the map does not show all of it, and back once it is done or left. */
export function useGhostsInView(scene: Scene | null): void {
  const ghosts = useScreenValue((screen) => screen.ghosts);
  useEffect(() => {
    const box = ghosts && boxOf(ghosts);
    if (!scene || !box || within(box, scene.view())) return;
    return scene.goTo(box);
  }, [scene, ghosts]);
}

/** The map goes where something was looked for. */
export function useGoTo(scene: Scene | null): void {
  const { goTo, finding, lookAt } = useScreen("goTo", "finding", "lookAt");
  useEffect(() => {
    if (!scene || !goTo) return;
    // A fault of the streets is a matter of metres.
    scene.map.jumpTo({ center: goTo, zoom: Math.max(scene.map.getZoom(), finding ? 18 : 15) });
    lookAt(null);
  }, [scene, goTo, finding, lookAt]);
}
