/** Costs of the analyst's own: an expression, its unit, and what a street costs on which it has no value. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { CostDocument, ModeDocument } from "../../api/modes";
import { Committed } from "../../controls/inline";

type Props = { mode: ModeDocument; put: (costs: CostDocument[]) => void };

export function ModeCosts({ mode, put }: Props) {
  const change = (i: number, more: Partial<CostDocument>) => put(mode.costs.map((cost, j) => (i === j ? { ...cost, ...more } : cost)));
  return (
    <>
      <h2><Trans>Costs of your own</Trans></h2>
      <ol className="rules">
        {mode.costs.map((cost, i) => (
          <li key={cost.id}>
            <Trans>
              <b>{cost.id.replaceAll("_", " ")}</b>, in <Committed label={t`Unit of ${cost.id}`} value={cost.unit} placeholder={t`no unit`} onCommit={(unit) => change(i, { unit })} />, is{" "}
              <Committed label={t`Expression of ${cost.id}`} value={cost.along} onCommit={(along) => change(i, { along })} />, against the drawn direction{" "}
              <Committed label={t`Expression of ${cost.id} against the drawn direction`} value={cost.against} placeholder={t`the same`} onCommit={(against) => change(i, { against })} />; where it has no value{" "}
              <Committed kind="amount" label={t`Value of ${cost.id} where it has none`} value={cost.missing === null ? "" : String(cost.missing)} placeholder="refused" onCommit={(text) => change(i, { missing: text === "" ? null : Number(text) })} />.
              <small className="under">
                A word of the questions: least {cost.id.replaceAll("_", " ")}
                <button className="linkish" aria-label={t`Remove the cost ${cost.id}`} onClick={() => put(mode.costs.filter((_, j) => j !== i))}>
                  remove
                </button>
              </small>
            </Trans>
          </li>
        ))}
      </ol>
      <NewCost add={(id, along) => put([...mode.costs, { id, unit: "", along, against: "", missing: null }])} />
    </>
  );
}

function NewCost({ add }: { add: (id: string, along: string) => void }) {
  const [name, setName] = useState("");
  const [along, setAlong] = useState("");
  const ready = name.trim() && along.trim();
  return (
    <form
      className="row-form"
      onSubmit={(event) => {
        event.preventDefault();
        if (!ready) return;
        add(name.trim().toLowerCase().replaceAll(/[^a-z0-9]+/g, "_"), along.trim());
        setName("");
        setAlong("");
      }}
    >
      <input className="slot way text" aria-label={t`Name of a new cost`} placeholder="noise" spellCheck={false} size={8} value={name} onChange={(event) => setName(event.target.value)} /> ={" "}
      <input className="slot way text" aria-label={t`Expression of a new cost`} placeholder="length * 2 + duration_s" spellCheck={false} size={Math.max(along.length, 20)} value={along} onChange={(event) => setAlong(event.target.value)} />
      <button className="linkish" disabled={!ready}>
        <Trans>Add the cost</Trans>
      </button>
    </form>
  );
}
