/** How the selected answer is drawn: how opaque its areas are, and which other answer lies over it. */
import { Slider } from "@mui/material";
import { Word } from "../common/words";
import { questionNames } from "../sheet/words";
import { useSheet } from "../state/sheet";
import { useScreen } from "../state/store";

/** Areas are never drawn fainter than this. */
const FAINTEST = 0.2;

export function AnswerLook({ study }: { study: string }) {
  const { stage, question, overlaid, opacity, beneath, set } = useScreen();
  const { data: sheet } = useSheet(study);
  const names = Object.entries(questionNames(sheet?.blocks ?? [])).filter(([id]) => id !== question);
  if (stage !== "sheet" || !question) return null;
  return (
    <section>
      <div className="opacity">
        Areas
        <Slider
          size="small"
          min={FAINTEST}
          max={1}
          step={0.1}
          value={opacity}
          aria-label="Opacity of the areas of answers"
          valueLabelDisplay="auto"
          valueLabelFormat={(share) => `${Math.round(share * 100)} %`}
          onChange={(_, share) => set({ opacity: share })}
        />
      </div>
      {names.length > 0 && (
        <p>
          <Word
            kind="way"
            label="Whether the other answer is drawn over or under the selected one"
            value={beneath ? "under" : "over"}
            options={[["over", "Over it"], ["under", "Under it"]]}
            onChange={(order) => set({ beneath: order === "under" })}
          />{" "}
          <Word
            kind="way"
            label="Another answer beside the selected one"
            value={names.some(([id]) => id === overlaid) ? (overlaid ?? "") : ""}
            options={[["", "no other answer"], ...names]}
            onChange={(id) => set({ overlaid: id || null })}
          />
        </p>
      )}
    </section>
  );
}
