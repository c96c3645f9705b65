/** Keys of the page, and what can be done by its words. `common/Palette` lists both. */
import { useEffect, useMemo } from "react";
import type { Overview } from "../api/own";
import { isForPage, questionActs, stageActs, type Act } from "../common/Palette";
import { useAsking } from "../sheet/asking";
import { shifted } from "../sheet/blocks";
import { useProcesses, useSheet, useSheetActions, type QuestionBlock } from "./sheet";
import { go, STAGES, useScreen } from "./store";

/** Everything that can be done, and the keys for what is done often. */
export function useActs(overview: Overview | undefined): Act[] {
  const study = overview?.id ?? null;
  const { data: processes } = useProcesses(study);
  const { data: sheet } = useSheet(study);
  const { undo, redo, ask, save } = useSheetActions(study ?? "");
  const open = useAsking(overview ?? NOTHING);
  const set = useScreen((screen) => screen.set);
  const { question, redoable } = useScreen();
  const questions = useMemo(() => (sheet?.blocks ?? []).filter((block): block is QuestionBlock => block.kind === "question"), [sheet]);

  useEffect(() => {
    if (!study) return;
    const at = questions.findIndex(({ id }) => id === question);
    const step = (by: number) => {
      const next = questions[Math.min(Math.max(at + by, 0), questions.length - 1)];
      if (next) set({ question: next.id, street: null, row: null });
    };
    const press = (event: KeyboardEvent) => {
      if (event.key === "Escape") return set({ editing: null, picking: null, street: null, drawing: null, measuring: null });
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
      else if (event.key === "m") set({ measuring: [] });
      else if (event.key === "u" && sheet?.undo) void undo();
      else if (event.key === "U" && redoable) void redo();
      else if (event.key === "d") set({ theme: useScreen.getState().theme === "dark" ? "light" : "dark" });
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [study, questions, question, set, save, ask, undo, redo, sheet, redoable]);

  return useMemo(
    () =>
      study
        ? [
            ...(overview?.stamp ? questionActs(processes ?? [], open) : []),
            ...stageActs(study),
            { group: "Do", words: "Measure on the map", run: () => set({ measuring: [] }) },
            { group: "Do", words: "Undo the last change of the sheet", run: () => void undo() },
            { group: "Do", words: "Change to light or dark", run: () => set({ theme: useScreen.getState().theme === "dark" ? "light" : "dark" }) },
            ...questions.map(({ id, title, process }, i): Act => ({ group: "Show", words: `Question ${i + 1}, ${title ?? process}`, run: () => set({ question: id, street: null, row: null }) })),
          ]
        : [],
    [study, overview, processes, open, set, undo, questions],
  );
}

const NOTHING = { id: "", layers: [], costs: [], drawn: false } as unknown as Overview;
