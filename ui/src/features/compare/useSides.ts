/** The two answers that stand on maps of their own while answers are compared; null while one map shows their difference. */
import { useMemo } from "react";
import type { LegendGroup, MapContent } from "../../map/content";
import { useAnswer, type Answer } from "../../state/sheet";
import { useScreen } from "../../state/screen";
import { sideContents } from "./sideContent";

type Side = { label: string; answer: Answer; content: MapContent };
export type Sides = { sides: readonly [Side, Side]; groups: LegendGroup[]; over: boolean };

export function useSides(study: string | null): Sides | null {
  const { stage, question, apart, second, hidden, gradeLook, theme } = useScreen("stage", "question", "apart", "second", "hidden", "gradeLook", "theme");
  const { data: answer } = useAnswer(study, stage === "sheet" ? question : null);
  const compared = stage === "sheet" && apart !== "difference" ? answer?.result.view.compared : null;
  const [one, other] = [compared?.answers[0], compared?.answers[Math.min(second, (compared?.answers.length ?? 1) - 1)]];
  const { data: first } = useAnswer(study, one?.answer ?? null);
  const { data: then } = useAnswer(study, other?.answer ?? null);
  return useMemo(() => {
    if (!one || !other || !first || !then) return null;
    void theme; // colours are read from the theme in force
    const { contents, groups } = sideContents([first, then], hidden, gradeLook);
    const sides = [
      { label: one.label, answer: first, content: contents[0] },
      { label: other.label, answer: then, content: contents[1] },
    ] as const;
    return { sides, groups, over: apart === "slider" };
  }, [one, other, first, then, hidden, gradeLook, apart, theme]);
}
