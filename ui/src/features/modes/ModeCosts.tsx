/** Costs of the analyst's own: an expression, its unit, and what a street costs on which it has no value. */
import { useState } from "react";
import type { CostDocument, ModeDocument } from "../../api/modes";
import { Committed } from "../../controls/inline";

type Props = { mode: ModeDocument; put: (costs: CostDocument[]) => void };

export function ModeCosts({ mode, put }: Props) {
  const change = (i: number, more: Partial<CostDocument>) => put(mode.costs.map((cost, j) => (i === j ? { ...cost, ...more } : cost)));
  return (
    <>
      <h2>Costs of your own</h2>
      <ol className="rules">
        {mode.costs.map((cost, i) => (
          <li key={cost.id}>
            <b>{cost.id.replaceAll("_", " ")}</b>, in <Committed label={`Unit of ${cost.id}`} value={cost.unit} placeholder="no unit" onCommit={(unit) => change(i, { unit })} />, is{" "}
            <Committed label={`Expression of ${cost.id}`} value={cost.along} onCommit={(along) => change(i, { along })} />, against the drawn direction{" "}
            <Committed label={`Expression of ${cost.id} against the drawn direction`} value={cost.against} placeholder="the same" onCommit={(against) => change(i, { against })} />; where it has no value{" "}
            <Committed kind="amount" label={`Value of ${cost.id} where it has none`} value={cost.missing === null ? "" : String(cost.missing)} placeholder="refused" onCommit={(text) => change(i, { missing: text === "" ? null : Number(text) })} />.
            <small className="under">
              A word of the questions: least {cost.id.replaceAll("_", " ")}
              <button className="linkish" aria-label={`Remove the cost ${cost.id}`} onClick={() => put(mode.costs.filter((_, j) => j !== i))}>
                remove
              </button>
            </small>
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
      <input className="slot way text" aria-label="Name of a new cost" placeholder="noise" spellCheck={false} size={8} value={name} onChange={(event) => setName(event.target.value)} /> ={" "}
      <input className="slot way text" aria-label="Expression of a new cost" placeholder="length * 2 + duration_s" spellCheck={false} size={Math.max(along.length, 20)} value={along} onChange={(event) => setAlong(event.target.value)} />
      <button className="linkish" disabled={!ready}>
        Add the cost
      </button>
    </form>
  );
}
