/** Findings are shown on the map, all at once and one after another by keys. */
import type { Feature } from "geojson";
import { useCallback, useEffect, useState } from "react";
import { screenNow, useScreen } from "../../state/screen";

/** Which of some findings is looked at, -1 for none; the map goes along. J and K go on and back. */
export function useGoingThrough(shown: Feature[]): { at: number; go: (next: number) => void; leave: () => void } {
  const { showFinding, showFindings } = useScreen("showFinding", "showFindings");
  const [at, setAt] = useState(-1);
  const go = useCallback(
    (next: number) => {
      const nth = Math.min(Math.max(next, 0), shown.length - 1);
      setAt(nth);
      showFinding(shown[nth] ?? null);
    },
    [shown, showFinding],
  );
  const leave = useCallback(() => {
    setAt(-1);
    showFinding(null);
  }, [showFinding]);
  useEffect(() => () => showFinding(null), [showFinding]);
  useEffect(() => {
    showFindings(shown);
    return () => showFindings(null);
  }, [shown, showFindings]);
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const field = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      if (field || screenNow().sketch || event.ctrlKey || event.metaKey || event.altKey || (event.key !== "j" && event.key !== "k")) return;
      event.stopImmediatePropagation(); // elsewhere these keys go through questions
      go(at + (event.key === "j" ? 1 : -1));
    };
    window.addEventListener("keydown", press, true);
    return () => window.removeEventListener("keydown", press, true);
  }, [at, go]);
  return { at, go, leave };
}
