/** Which other answer is drawn over the selected one. */
import { Word } from "../common/words";
import { questionNames } from "../sheet/words";
import { useSheet } from "../state/sheet";
import { useScreen } from "../state/store";

export function Overlay({ study }: { study: string }) {
  const { stage, question, overlaid, set } = useScreen();
  const { data: sheet } = useSheet(study);
  const names = Object.entries(questionNames(sheet?.blocks ?? [])).filter(([id]) => id !== question);
  if (stage !== "sheet" || names.length === 0) return null;
  return (
    <section>
      <p>
        Over it{" "}
        <Word
          kind="way"
          label="Another answer over the selected one"
          value={names.some(([id]) => id === overlaid) ? (overlaid ?? "") : ""}
          options={[["", "no other answer"], ...names]}
          onChange={(id) => set({ overlaid: id || null })}
        />
      </p>
    </section>
  );
}
