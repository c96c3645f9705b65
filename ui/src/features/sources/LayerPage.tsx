/** One layer of the study: what it is used as, which features are selected, what is computed, and the way to keep a selection. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { changeLayer, computeField, dropLayer, keepSelection, layerState, selectFeatures, undoLayer, type Selecting } from "../../api/layers";
import type { LayerNotes, Overview } from "../../api/studies";
import { figure, words } from "../../common/format";
import { Outcome } from "../../controls/Outcome";
import { Text, Word } from "../../controls/inline";
import { message } from "../../api/client";
import { useScreen } from "../../state/screen";

export const CHANGEABLE = ["places", "zones", "parcels", "buildings", "lines"];

export function LayerPage({ overview, ident }: { overview: Overview; ident: string }) {
  const queries = useQueryClient();
  const { chosen, choose, lookAtLayer, draw } = useScreen("chosen", "choose", "lookAtLayer", "draw");
  const [said, setSaid] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const info = overview.layers.find(({ id }) => id === ident);
  const { data: state } = useQuery({ queryKey: ["layer", overview.id, ident, info?.added], queryFn: () => layerState(overview.id, ident), enabled: !!info });
  if (!info) return null;
  const own = CHANGEABLE.includes(info.role);

  /** Do something to the layer, say what came of it, and fetch what depends on it. */
  const act = async (what: () => Promise<string | null>) => {
    setProblem(null);
    setSaid(null);
    try {
      setSaid(await what());
      await queries.invalidateQueries({ predicate: ({ queryKey }) => ["overview", "answer", "layer"].includes(String(queryKey[0])) });
    } catch (error) {
      setProblem(message(error));
    }
  };
  const select = (wanted: Selecting) =>
    act(async () => {
      const { count, fids } = await selectFeatures(overview.id, ident, wanted);
      choose(fids);
      return count === 0 ? "Nothing fits." : null;
    });
  const back = () => lookAtLayer(null);

  return (
    <>
      <p className="dateline" style={{ margin: 0 }}>
        <button className="linkish" onClick={back}>
          All sources
        </button>
      </p>
      <h1>{info.title}</h1>
      <p className="dateline">
        {figure(info.count)} features from {info.source}
      </p>
      {own && (
        <p className="question">
          It is used as{" "}
          <Word
            kind="way"
            label="Used as"
            value={info.role}
            options={CHANGEABLE.map((role) => [role, role])}
            onChange={(role) => void act(async () => (await changeLayer(overview.id, ident, { role }), null))}
          />
          , its features identified by{" "}
          <Word
            kind="way"
            label="Identified by"
            value={info.key ?? ""}
            options={[...(info.key ? [] : [["", "their number"] as [string, string]]), ...Object.keys(info.fields).map((field): [string, string] => [field, words(field)])]}
            onChange={(field) => void act(async () => (await changeLayer(overview.id, ident, { key: field }), null))}
          />
          .
        </p>
      )}
      <Faults notes={info.notes} />
      <h2>Select</h2>
      <SelectRow onFilter={(filter) => void select({ filter })} onArea={(kind) => draw({ kind, done: (within) => void select({ within }) })} />
      <p className="notice" role="status">
        {chosen.length === 0 ? "Nothing is selected. Click features on the map or rows in the table, or use the means above." : `${figure(chosen.length)} of ${figure(info.count)} selected.`}{" "}
        {chosen.length > 0 && (
          <button className="linkish" onClick={() => choose([])}>
            Select nothing
          </button>
        )}
      </p>
      {chosen.length > 0 && (
        <KeepRow
          title={info.title}
          onKeep={(title) =>
            void act(async () => {
              const { count } = await keepSelection(overview.id, ident, chosen, title);
              return `${figure(count)} features are kept as ${title}.`;
            })
          }
        />
      )}
      {own && (
        <>
          <h2>Compute a field</h2>
          <ComputeRow
            fields={Object.keys(info.fields)}
            onCompute={(name, expression) =>
              void act(async () => {
                const filter = chosen.length > 0 ? `fid IN (${chosen.join(",")})` : null;
                const done = await computeField(overview.id, ident, name, expression, filter);
                return `${name} has a value in ${figure(done.filled)} features${done.empty ? `, and none in ${figure(done.empty)}` : ""}.`;
              })
            }
          />
          <p className="faint" style={{ font: "var(--t-small)" }}>
            CQL2, such as seats * 2 or age_65_plus / population. {chosen.length > 0 ? "Only the selected features change." : "All features change."} Single values are changed in the table:
            double-click one.
          </p>
        </>
      )}
      <Outcome said={said} problem={problem} />
      <div className="block-tools" style={{ marginTop: 14 }}>
        {own && (state?.undo ?? 0) > 0 && (
          <button className="linkish" onClick={() => void act(async () => `Taken back: ${(await undoLayer(overview.id, ident)).undone}.`)}>
            Undo the last change
          </button>
        )}
        <a className="linkish" href={`/studies/${overview.id}/export/layers/${ident}?format=geojson`}>
          GeoJSON
        </a>
        <a className="linkish" href={`/studies/${overview.id}/export/layers/${ident}?format=csv`}>
          CSV
        </a>
        {(own || info.role === "answer") && (
          <button
            className="linkish"
            onClick={() => {
              if (window.confirm(`Remove ${info.title} from the study? This cannot be undone.`)) void act(async () => (await dropLayer(overview.id, ident), back(), null));
            }}
          >
            Remove the layer
          </button>
        )}
      </div>
    </>
  );
}

function SelectRow({ onFilter, onArea }: { onFilter: (filter: string) => void; onArea: (kind: "box" | "outline") => void }) {
  const [filter, setFilter] = useState("");
  const { drawing } = useScreen("drawing");
  return (
    <>
      <form
        className="row-form"
        onSubmit={(event) => {
          event.preventDefault();
          if (filter.trim()) onFilter(filter.trim());
        }}
      >
        where <Text label="Filter in CQL2" value={filter} placeholder="population > 500" onChange={setFilter} />
        <button className="linkish" disabled={!filter.trim()}>
          Select
        </button>
      </form>
      <div className="block-tools">
        <button className="linkish" onClick={() => onArea("box")}>
          {drawing?.kind === "box" ? "Click two corners on the map" : "In a box"}
        </button>
        <button className="linkish" onClick={() => onArea("outline")}>
          {drawing?.kind === "outline" ? "Click the corners on the map" : "In an outline"}
        </button>
      </div>
    </>
  );
}

function KeepRow({ title, onKeep }: { title: string; onKeep: (title: string) => void }) {
  const [name, setName] = useState(`Some ${title.toLowerCase()}`);
  return (
    <form
      className="row-form"
      onSubmit={(event) => {
        event.preventDefault();
        onKeep(name.trim());
      }}
    >
      Keep them as <Text label="Title of the new layer" value={name} onChange={setName} />
      <button className="linkish" disabled={!name.trim()}>
        Keep
      </button>
    </form>
  );
}

function ComputeRow({ fields, onCompute }: { fields: string[]; onCompute: (name: string, expression: string) => void }) {
  const [name, setName] = useState("");
  const [expression, setExpression] = useState("");
  return (
    <form
      className="row-form"
      onSubmit={(event) => {
        event.preventDefault();
        onCompute(name.trim(), expression.trim());
      }}
    >
      <Text label="Field" value={name} placeholder="new_field" onChange={setName} /> =
      <Text label="Expression" value={expression} placeholder={fields.length ? words(fields[0] ?? "").replaceAll(" ", "_") : "1"} onChange={setExpression} />
      <button className="linkish" disabled={!name.trim() || !expression.trim()}>
        Compute
      </button>
    </form>
  );
}

/** What was left out or repaired when the layer came in, row by row. */
function Faults({ notes }: { notes: LayerNotes | undefined }) {
  if (!notes || notes.left_out + notes.repaired === 0) return null;
  const parts: [number, string, string[]][] = [
    [notes.left_out, "left out because they could not be used", notes.left_out_named],
    [notes.repaired, "repaired because their outline crossed itself", notes.repaired_named],
  ];
  return (
    <details className="notice">
      <summary>{parts.filter(([count]) => count > 0).map(([count, what]) => `${figure(count)} ${count === 1 ? "feature was" : "features were"} ${what}`).join("; ")}.</summary>
      <ul className="method">
        {parts.flatMap(([, , named]) => named).map((text) => (
          <li key={text}>{text}</li>
        ))}
      </ul>
    </details>
  );
}
