/** How a comparison is begun. */
import { useCallback } from "react";
import type { KeptOne } from "../../api/inputs";
import type { Overview } from "../../api/studies";
import { freshId } from "../../state/blocks";
import { COMPARE } from "../../state/comparable";
import { useSheetActions, type QuestionBlock } from "../../state/sheet";
import { go, screenNow } from "../../state/screen";

/** Begin a comparison: its block is put at the end of the sheet and asked at once. The first answer is what the others are set against. */
export function useComparing(overview: Pick<Overview, "id">): (answers: (string | KeptOne)[]) => void {
  const { save, ask } = useSheetActions(overview.id);
  return useCallback(
    (answers) => {
      const inputs = { answers: answers.map((answer) => (typeof answer === "string" ? { answer } : answer)) };
      const block: QuestionBlock = { id: freshId("q"), kind: "question", process: COMPARE, inputs };
      go(overview.id, "sheet");
      screenNow().selectQuestion(block.id);
      void save((now) => ({ blocks: [...now.blocks, block] })).then(() => void ask(block.id, COMPARE, inputs));
    },
    [overview.id, save, ask],
  );
}
