/** Connected parts of each mode, by size, and the rule by which they are used. */
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
  return (
    <>
      <h2>Connected parts</h2>
      <div className="tabs" role="tablist" aria-label="Mode">
        {overview.modes.map(({ id, title }) => (
          <button key={id} role="tab" aria-selected={id === shown.id} onClick={() => selectMode(id)}>
            {title}
          </button>
        ))}
      </div>
      {shown.problem ? (
        <p className="problem">{shown.problem}</p>
      ) : (
        <table className="plain" aria-label="Parts by size">
          <thead>
            <tr>
              <th>Part</th>
              <th className="n">Links</th>
              <th className="n">Length</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {shown.parts.sizes.slice(0, LISTED).map(({ rank, km, links }) => (
              <tr key={rank} className={rank < shown.parts.kept ? undefined : "quiet"}>
                <td>{rank === 0 ? "Largest" : `Part ${rank + 1}`}</td>
                <td className="n">{figure(links)}</td>
                <td className="n">
                  {figure(km, 2)}
                  {unit}
                </td>
                <td className="n">{rank < shown.parts.kept ? "used" : "left out"}</td>
              </tr>
            ))}
            {shown.parts.count > LISTED && (
              <tr className="quiet">
                <td>{figure(shown.parts.count - LISTED)} more</td>
                <td className="n" />
                <td className="n" />
                <td className="n">{shown.parts.kept > LISTED ? `${figure(shown.parts.kept - LISTED)} of them used` : "left out"}</td>
              </tr>
            )}
          </tbody>
        </table>
      )}
      <p className="question">
        Modes use{" "}
        <Word
          kind="way"
          label="Parts that are used"
          value={rule}
          options={[
            ["largest", "the largest part"],
            ["above", "parts from a length on"],
            ["all", "all parts"],
          ]}
          onChange={(wanted) => void keep(wanted, Number(above))}
        />
        {rule === "above" && (
          <>
            {" "}
            of <Amount label="Least length of a part in km" value={above} onChange={setAbove} />
            {unit}{" "}
            <button className="linkish" style={{ font: "var(--t-ui)" }} disabled={!(Number(above) >= 0)} onClick={() => void keep("above", Number(above))}>
              Take
            </button>
          </>
        )}
        .
      </p>
      <p className="notice">
        In a part every place can reach every other, one-way streets counted.
        {!shown.problem && (shown.parts.enclosed_links ?? 0) > 0 &&
          ` Of these, no trip can leave or reach ${figure(shown.parts.enclosed_links ?? 0)} links (${figure(shown.parts.enclosed_km ?? 0, 1)} km), because of turn restrictions or private streets: no place is put on them.`}
        {!shown.problem && shown.parts.left_out_links > 0 && ` ${figure(shown.parts.left_out_km, 1)} km are left out for ${shown.title.toLowerCase()}.`} Places on parts that are left out are
        named in the doubts of an answer.
      </p>
      {problem && (
        <p className="problem" role="alert">
          {problem}
        </p>
      )}
    </>
  );
}
