/** Keys of the page, and what can be done by its words. `common/Palette` lists both. */
import { t } from "@lingui/core/macro";
import { useEffect, useMemo } from "react";
import type { Overview } from "../api/studies";
import { isForPage, questionActs, stageActs, type Act } from "./Palette";
import { COMPARE } from "../state/comparable";
import { useComparing } from "../features/compare/comparing";
import { useAsking } from "../features/sheet/asking";
import { shifted } from "../state/blocks";
import { useProcesses, useSheet, useSheetActions, type QuestionBlock } from "../state/sheet";
import { go, STAGES, useScreen } from "../state/screen";

/** Everything that can be done, and the keys for what is done often. */
export function useActs(overview: Overview | undefined): Act[] {
  const study = overview?.id ?? null;
  const { data: processes } = useProcesses(study);
  const { data: sheet } = useSheet(study);
  const { undo, redo, ask, save } = useSheetActions(study ?? "");
  const open = useAsking(overview ?? NOTHING);
  const compare = useComparing(overview ?? NOTHING);
  const { question, redoable, selectQuestion, measure, flipTheme, cancel, compareWith } = useScreen("question", "redoable", "selectQuestion", "measure", "flipTheme", "cancel", "compareWith");
  const questions = useMemo(() => (sheet?.blocks ?? []).filter((block): block is QuestionBlock => block.kind === "question"), [sheet]);

  useEffect(() => {
    if (!study) return;
    const at = questions.findIndex(({ id }) => id === question);
    const step = (by: number) => {
      const next = questions[Math.min(Math.max(at + by, 0), questions.length - 1)];
      if (next) selectQuestion(next.id);
    };
    const press = (event: KeyboardEvent) => {
      if (event.key === "Escape") return cancel();
      if (!isForPage(event)) return;
      const stage = STAGES[Number(event.key) - 1];
      const chosen = questions[at];
      if (stage && !event.altKey) go(study, stage);
      else if (event.altKey && chosen && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
        event.preventDefault();
        void save(({ blocks }) => ({ blocks: shifted(blocks, chosen.id, event.key === "ArrowUp" ? -1 : 1) }));
      } else if (event.altKey) return;
      else if (event.key === "j") step(1);
      else if (event.key === "k") step(-1);
      else if (event.key === "a" && chosen) void ask(chosen.id, chosen.process, chosen.inputs);
      else if (event.key === "c" && chosen && chosen.process !== COMPARE) compareWith(chosen.id);
      else if (event.key === "m") measure();
      else if (event.key === "u" && sheet?.undo) void undo();
      else if (event.key === "U" && redoable) void redo();
      else if (event.key === "d") flipTheme();
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [study, questions, question, selectQuestion, measure, flipTheme, cancel, compareWith, save, ask, undo, redo, sheet, redoable]);

  return useMemo(
    () =>
      study
        ? [
            ...(overview?.revision ? questionActs(processes ?? [], open) : []),
            ...stageActs(study),
            { group: t`Do`, words: t`Measure on the map`, run: () => measure() },
            { group: t`Do`, words: t`Undo the last change of the sheet`, run: () => void undo() },
            { group: t`Do`, words: t`Change to light or dark`, run: flipTheme },
            ...comparisons(questions).map(([a, b]): Act => ({ group: t`Compare`, words: t`Compare ${b + 1} with ${a + 1}`, run: () => compare([questions[a]?.id ?? "", questions[b]?.id ?? ""]) })),
            ...questions.map(({ id, title, process }, i): Act => ({ group: t`Show`, words: t`Question ${i + 1}, ${title ?? process}`, run: () => selectQuestion(id) })),
          ]
        : [],
    [study, overview, processes, open, selectQuestion, measure, flipTheme, undo, questions, compare],
  );
}

/** Pairs of questions of a kind, by their places in the sheet. */
const comparisons = (questions: QuestionBlock[]): [number, number][] =>
  questions.flatMap((one, a) => questions.flatMap((other, b): [number, number][] => (a < b && one.process === other.process && one.process !== COMPARE ? [[a, b]] : [])));

const NOTHING = { id: "", layers: [], costs: [], drawn: false } as unknown as Overview;
