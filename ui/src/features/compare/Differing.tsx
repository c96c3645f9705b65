/** What differs between the questions that are compared, word by word. */
import { Trans } from "@lingui/react/macro";
import { Fragment } from "react";
import type { components } from "../../api/schema";

type Compared = components["schemas"]["Compared"];

export function Differing({ compared: { answers, words } }: { compared: Compared }) {
  if (words.length === 0) return <p className="differing"><Trans>The same question, asked at different times or of different studies.</Trans></p>;
  return (
    <p className="differing">
      <Trans>The same question, but</Trans>{" "}
      {answers.slice(1).map(({ label }, i) => {
        const others = words.filter(({ texts }) => texts[i + 1] !== texts[0]);
        return (
          <Fragment key={label}>
            {i > 0 && "; "}
            {others.map(({ label: word, kind, texts }, nth) => (
              <Fragment key={word}>
                {nth > 0 && <> <Trans>and</Trans> </>}
                <Trans>
                  <em className={kind}>{texts[i + 1]}</em> for <em className={kind}>{texts[0]}</em>
                </Trans>
              </Fragment>
            ))}
          </Fragment>
        );
      })}
      .
    </p>
  );
}
