/** Begin a question: its block is put in after the selected one, and asked at once when nothing is missing. */
import { useCallback } from "react";
import type { Overview, ProcessInfo } from "../api/own";
import { isComplete, useSheetActions, type QuestionBlock } from "../state/sheet";
import { go, useScreen } from "../state/store";
import { freshId } from "./blocks";
import { freshInputs } from "./words";

export function useAsking(overview: Overview): (process: ProcessInfo) => void {
  const { save, ask } = useSheetActions(overview.id);
  return useCallback(
    (process) => {
      const { mode, set } = useScreen.getState();
      const id = freshId("q");
      const inputs = freshInputs(process, overview.layers, mode, overview.costs, overview.drawn);
      const block: QuestionBlock = { id, kind: "question", process: process.id, inputs };
      const slot = Object.entries(inputs).find(([, value]) => (value as { features?: unknown[] } | null)?.features?.length === 0)?.[0];
      go(overview.id, "sheet");
      set({ question: id, editing: null, picking: slot ? { question: id, slot } : null, street: null });
      void save((now) => ({ blocks: [...now.blocks, block] })).then(() => {
        if (isComplete(inputs)) void ask(id, block.process, inputs);
      });
    },
    [overview, save, ask],
  );
}
