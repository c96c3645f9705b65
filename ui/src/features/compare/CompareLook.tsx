/** How answers that are compared stand on the map: a word of the legend. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Word } from "../../controls/inline";
import { useAnswer } from "../../state/sheet";
import { useScreen } from "../../state/screen";
import type { Apart } from "../../state/slices/questions";

export function CompareLook({ study }: { study: string }) {
  const { stage, question, apart, second, showApart } = useScreen("stage", "question", "apart", "second", "showApart");
  const { data: answer } = useAnswer(study, stage === "sheet" ? question : null);
  const compared = stage === "sheet" ? answer?.result.view.compared : null;
  if (!compared || compared.answers.some(({ answer: kept }) => !kept)) return null;
  const ways: [Apart, string][] = [["difference", t`their difference`], ["beside", t`two maps`], ["slider", t`one over the other`]];
  return (
    <section className="compare-look">
      <p className="zone-look">
        <Trans>Shown as <Word kind="way" label={t`How the answers stand on the map`} value={apart} options={ways} onChange={(value) => showApart(value as Apart)} /></Trans>
      </p>
      {apart !== "difference" && (
        <ol className="sides">
          <li>{compared.answers[0]?.label}</li>
          <li>
            {compared.answers.length > 2 ? (
              <Word kind="way" label={t`The answer beside the first`} value={String(second)} options={compared.answers.slice(1).map(({ label }, i): [string, string] => [String(i + 1), label])} onChange={(value) => showApart(apart, Number(value))} />
            ) : (
              compared.answers[1]?.label
            )}
          </li>
        </ol>
      )}
    </section>
  );
}
