/** Connected parts of each mode, by size, and the rule by which they are used. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { setKeepParts, type Overview } from "../../api/studies";
import { figure } from "../../common/format";
import { Amount, Word } from "../../controls/inline";
import { message } from "../../api/client";
import { useScreen } from "../../state/screen";

const LISTED = 6;

export function Parts({ overview }: { overview: Overview }) {
  const queries = useQueryClient();
  const { mode, selectMode } = useScreen("mode", "selectMode");
  const { rule, above_m } = overview.keepParts;
  const [above, setAbove] = useState(String(above_m ? above_m / 1000 : 0.5));
  const [problem, setProblem] = useState<string | null>(null);
  const shown = overview.modes.find(({ id }) => id === mode) ?? overview.modes[0];
  const unit = overview.drawn ? "" : " km";
  const keep = async (wanted: string, km: number) => {
    setProblem(null);
    try {
      await setKeepParts(overview.id, wanted, wanted === "above" ? km * 1000 : 0);
      // Answers that no page shows are marked when they are next looked at.
      await queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== "streets" });
    } catch (error) {
      setProblem(message(error));
    }
  };
  if (!shown) return null;
  const parts = (
    <Word
      kind="way"
      label={t`Parts that are used`}
      value={rule}
      options={[
        ["largest", t`the largest part`],
        ["above", t`parts from a length on`],
        ["all", t`all parts`],
      ]}
      onChange={(wanted) => void keep(wanted, Number(above))}
    />
  );
  return (
    <>
      <h2><Trans>Connected parts</Trans></h2>
      <div className="tabs" role="tablist" aria-label={t`Mode`}>
        {overview.modes.map(({ id, title }) => (
          <button key={id} role="tab" aria-selected={id === shown.id} onClick={() => selectMode(id)}>
            {title}
          </button>
        ))}
      </div>
      {shown.problem ? (
        <p className="problem">{shown.problem}</p>
      ) : (
        <table className="plain" aria-label={t`Parts by size`}>
          <thead>
            <tr>
              <th><Trans>Part</Trans></th>
              <th className="n"><Trans>Links</Trans></th>
              <th className="n"><Trans>Length</Trans></th>
              <th />
            </tr>
          </thead>
          <tbody>
            {shown.parts.sizes.slice(0, LISTED).map(({ rank, km, links }) => (
              <tr key={rank} className={rank < shown.parts.kept ? undefined : "quiet"}>
                <td>{rank === 0 ? t`Largest` : t`Part ${rank + 1}`}</td>
                <td className="n">{figure(links)}</td>
                <td className="n">
                  {figure(km, 2)}
                  {unit}
                </td>
                <td className="n">{rank < shown.parts.kept ? t`used` : t`left out`}</td>
              </tr>
            ))}
            {shown.parts.count > LISTED && (
              <tr className="quiet">
                <td><Trans>{figure(shown.parts.count - LISTED)} more</Trans></td>
                <td className="n" />
                <td className="n" />
                <td className="n">{shown.parts.kept > LISTED ? t`${figure(shown.parts.kept - LISTED)} of them used` : t`left out`}</td>
              </tr>
            )}
          </tbody>
        </table>
      )}
      <p className="question">
        {rule === "above" ? (
          <Trans>
            Modes use {parts} of <Amount label={t`Least length of a part in km`} value={above} onChange={setAbove} />
            {unit}{" "}
            <button className="linkish" style={{ font: "var(--t-ui)" }} disabled={!(Number(above) >= 0)} onClick={() => void keep("above", Number(above))}>
              Take
            </button>
            .
          </Trans>
        ) : (
          <Trans>Modes use {parts}.</Trans>
        )}
      </p>
      <p className="notice">
        <Trans>
          In a part every place can reach every other, one-way streets counted.{" "}
          {!shown.problem && (shown.parts.enclosed_links ?? 0) > 0 &&
            t`Of these, no trip can leave or reach ${figure(shown.parts.enclosed_links ?? 0)} links (${figure(shown.parts.enclosed_km ?? 0, 1)} km), because of turn restrictions or private streets: no place is put on them.`}{" "}
          {!shown.problem && shown.parts.left_out_links > 0 && t`${figure(shown.parts.left_out_km, 1)} km are left out for ${shown.title.toLowerCase()}.`} Places on parts that are left out are
          named in the doubts of an answer.
        </Trans>
      </p>
      {problem && (
        <p className="problem" role="alert">
          {problem}
        </p>
      )}
    </>
  );
}
