/** How the selected answer is drawn: how opaque its areas are, what lies over what, and which other answer is beside it. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Slider } from "@mui/material";
import { Word } from "../../controls/inline";
import type { Overview } from "../../api/studies";
import type { MapContent } from "../../map/content";
import { questionNames } from "../../state/blocks";
import { useSheet, type QuestionBlock } from "../../state/sheet";
import { useScreen } from "../../state/screen";
import { DrawnOrder } from "./DrawnOrder";

/** Areas are never drawn fainter than this. */
const FAINTEST = 0.2;

export function AnswerLook({ overview, content }: { overview: Overview; content: MapContent }) {
  const { stage, question, overlaid, opacity, setOpacity, overlay } = useScreen("stage", "question", "overlaid", "opacity", "setOpacity", "overlay");
  const { data: sheet } = useSheet(overview.id);
  const names = Object.entries(questionNames(sheet?.blocks ?? [])).filter(([id]) => id !== question);
  const block = sheet?.blocks.find((one): one is QuestionBlock => one.kind === "question" && one.id === question);
  if (stage !== "sheet" || !block) return null;
  return (
    <section>
      <div className="opacity">
        <Trans>
          Areas
          <Slider
            size="small"
            min={FAINTEST}
            max={1}
            step={0.1}
            value={opacity}
            aria-label={t`Opacity of the areas of answers`}
            valueLabelDisplay="auto"
            valueLabelFormat={(share) => `${Math.round(share * 100)}%`}
            onChange={(_, share) => setOpacity(share)}
          />
        </Trans>
      </div>
      <DrawnOrder block={block} overview={overview} content={content} />
      {names.length > 0 && (
        <p>
          <Trans>
            Beside it{" "}
            <Word
              kind="way"
              label={t`Another answer beside the selected one`}
              value={names.some(([id]) => id === overlaid) ? (overlaid ?? "") : ""}
              options={[["", t`no other answer`], ...names]}
              onChange={(id) => overlay(id || null)}
            />
          </Trans>
        </p>
      )}
    </section>
  );
}
