/** One layer of the study: what it is used as, which features are selected, what is computed, and the way to keep a selection. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { changeLayer, computeField, dropLayer, keepSelection, layerState, selectFeatures, undoLayer, type Selecting } from "../../api/layers";
import type { LayerNotes, Overview } from "../../api/studies";
import { figure, words } from "../../common/format";
import { Outcome } from "../../controls/Outcome";
import { Text, Word } from "../../controls/inline";
import { isChangedMeanwhile, message } from "../../api/client";
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
      if (isChangedMeanwhile(error)) await queries.invalidateQueries({ queryKey: ["overview"] });
    }
  };
  const select = (wanted: Selecting) =>
    act(async () => {
      const { count, fids } = await selectFeatures(overview.id, ident, wanted);
      choose(fids);
      return count === 0 ? t`Nothing fits.` : null;
    });
  const back = () => lookAtLayer(null);

  return (
    <>
      <p className="dateline" style={{ margin: 0 }}>
        <button className="linkish" onClick={back}>
          <Trans>All sources</Trans>
        </button>
      </p>
      <h1>{info.title}</h1>
      <p className="dateline">
        <Trans>{figure(info.count)} features from {info.source}</Trans>
      </p>
      {own && (
        <p className="question">
          <Trans>
            It is used as{" "}
            <Word
              kind="way"
              label={t`Used as`}
              value={info.role}
              options={CHANGEABLE.map((role) => [role, role])}
              onChange={(role) => void act(async () => (await changeLayer(overview.id, ident, { role }), null))}
            />
            , its features identified by{" "}
            <Word
              kind="way"
              label={t`Identified by`}
              value={info.key ?? ""}
              options={[...(info.key ? [] : [["", t`their number`] as [string, string]]), ...Object.keys(info.fields).map((field): [string, string] => [field, words(field)])]}
              onChange={(field) => void act(async () => (await changeLayer(overview.id, ident, { key: field }), null))}
            />
            .
          </Trans>
        </p>
      )}
      <Faults notes={info.notes} />
      <h2><Trans>Select</Trans></h2>
      <SelectRow onFilter={(filter) => void select({ filter })} onArea={(kind) => draw({ kind, done: (within) => void select({ within }) })} />
      <p className="notice" role="status">
        {chosen.length === 0 ? t`Nothing is selected. Click features on the map or rows in the table, or use the means above.` : t`${figure(chosen.length)} of ${figure(info.count)} selected.`}{" "}
        {chosen.length > 0 && (
          <button className="linkish" onClick={() => choose([])}>
            <Trans>Select nothing</Trans>
          </button>
        )}
      </p>
      {chosen.length > 0 && (
        <KeepRow
          title={info.title}
          onKeep={(title) =>
            void act(async () => {
              const { count } = await keepSelection(overview.id, ident, chosen, title);
              return t`${figure(count)} features are kept as ${title}.`;
            })
          }
        />
      )}
      {own && (
        <>
          <h2><Trans>Compute a field</Trans></h2>
          <ComputeRow
            fields={Object.keys(info.fields)}
            onCompute={(name, expression) =>
              void act(async () => {
                const filter = chosen.length > 0 ? `fid IN (${chosen.join(",")})` : null;
                const done = await computeField(overview.id, ident, info.added, name, expression, filter);
                const filled = figure(done.filled);
                return done.empty ? t`${name} has a value in ${filled} features, and none in ${figure(done.empty)}.` : t`${name} has a value in ${filled} features.`;
              })
            }
          />
          <p className="faint" style={{ font: "var(--t-small)" }}>
            <Trans>
              CQL2, such as seats * 2 or age_65_plus / population. {chosen.length > 0 ? t`Only the selected features change.` : t`All features change.`} Single values are changed in the table:
              double-click one.
            </Trans>
          </p>
        </>
      )}
      <Outcome said={said} problem={problem} />
      <div className="block-tools" style={{ marginTop: 14 }}>
        {own && (state?.undo ?? 0) > 0 && (
          <button className="linkish" onClick={() => void act(async () => t`Taken back: ${(await undoLayer(overview.id, ident, info.added)).undone}.`)}>
            <Trans>Undo the last change</Trans>
          </button>
        )}
        <a className="linkish" href={`/studies/${overview.id}/export/layers/${ident}?format=geojson`}>
          <Trans>GeoJSON</Trans>
        </a>
        <a className="linkish" href={`/studies/${overview.id}/export/layers/${ident}?format=csv`}>
          <Trans>CSV</Trans>
        </a>
        {(own || info.role === "answer") && (
          <button
            className="linkish"
            onClick={() => {
              if (window.confirm(t`Remove ${info.title} from the study? This cannot be undone.`)) void act(async () => (await dropLayer(overview.id, ident), back(), null));
            }}
          >
            <Trans>Remove the layer</Trans>
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
        <Trans>
          where <Text label={t`Filter in CQL2`} value={filter} placeholder="population > 500" onChange={setFilter} />
          <button className="linkish" disabled={!filter.trim()}>
            Select
          </button>
        </Trans>
      </form>
      <div className="block-tools">
        <button className="linkish" onClick={() => onArea("box")}>
          {drawing?.kind === "box" ? t`Click two corners on the map` : t`In a box`}
        </button>
        <button className="linkish" onClick={() => onArea("outline")}>
          {drawing?.kind === "outline" ? t`Click the corners on the map` : t`In an outline`}
        </button>
      </div>
    </>
  );
}

function KeepRow({ title, onKeep }: { title: string; onKeep: (title: string) => void }) {
  const [name, setName] = useState(t`Some ${title.toLowerCase()}`);
  return (
    <form
      className="row-form"
      onSubmit={(event) => {
        event.preventDefault();
        onKeep(name.trim());
      }}
    >
      <Trans>
        Keep them as <Text label={t`Title of the new layer`} value={name} onChange={setName} />
        <button className="linkish" disabled={!name.trim()}>
          Keep
        </button>
      </Trans>
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
      <Text label={t`Field`} value={name} placeholder="new_field" onChange={setName} /> =
      <Text label={t`Expression`} value={expression} placeholder={fields.length ? words(fields[0] ?? "").replaceAll(" ", "_") : "1"} onChange={setExpression} />
      <button className="linkish" disabled={!name.trim() || !expression.trim()}>
        <Trans>Compute</Trans>
      </button>
    </form>
  );
}

/** What was left out or repaired when the layer came in, row by row. */
function Faults({ notes }: { notes: LayerNotes | undefined }) {
  if (!notes || notes.left_out + notes.repaired === 0) return null;
  const { left_out, repaired } = notes;
  const parts: [number, string, string[]][] = [
    [left_out, plural(left_out, { one: "# feature was left out because it could not be used", other: "# features were left out because they could not be used" }), notes.left_out_named],
    [repaired, plural(repaired, { one: "# feature was repaired because its outline crossed itself", other: "# features were repaired because their outline crossed itself" }), notes.repaired_named],
  ];
  return (
    <details className="notice">
      <summary>{parts.filter(([count]) => count > 0).map(([, what]) => what).join("; ")}.</summary>
      <ul className="method">
        {parts.flatMap(([, , named]) => named).map((text) => (
          <li key={text}>{text}</li>
        ))}
      </ul>
    </details>
  );
}
