/** Begin a question: its block is put in after the selected one, and asked at once when nothing is missing. */
import { useCallback } from "react";
import { isComplete, isPointSet, type ProcessInfo } from "../../api/inputs";
import type { Overview } from "../../api/studies";
import { useSheetActions, type QuestionBlock } from "../../state/sheet";
import { go, screenNow } from "../../state/screen";
import { freshId } from "../../state/blocks";
import { rides, usualMorning } from "../../controls/riding";
import { freshInputs } from "../../controls/sentence";

export function useAsking(overview: Overview): (process: ProcessInfo) => void {
  const { save, ask } = useSheetActions(overview.id);
  return useCallback(
    (process) => {
      const { mode, selectQuestion, pick } = screenNow();
      const riding = rides(overview.modes, { mode });
      const id = freshId("q");
      const fresh = freshInputs(process, overview.layers, mode, overview.costs, overview.drawn);
      const inputs = riding ? { ...fresh, at: usualMorning(overview) } : fresh;
      const block: QuestionBlock = { id, kind: "question", process: process.id, inputs };
      const slot = Object.keys(inputs).find((name) => isPointSet(inputs[name]) && inputs[name].features.length === 0);
      go(overview.id, "sheet");
      selectQuestion(id);
      pick(slot ? { question: id, slot } : null);
      void save((now) => ({ blocks: [...now.blocks, block] })).then(() => {
        if (isComplete(inputs, process["x-awl"].slots)) void ask(id, block.process, inputs);
      });
    },
    [overview, save, ask],
  );
}
