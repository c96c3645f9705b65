/** The results panel under the map: table and chart of the selected answer, or the card of the street that was clicked. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { lazy, Suspense, useRef, useState, type PointerEvent } from "react";
import type { Overview } from "../../api/studies";
import { useAnswer, useSheet, useSheetActions, type Answer, type QuestionBlock } from "../../state/sheet";
import { useScreen } from "../../state/screen";
import { ArrivalThere } from "./ArrivalThere";
import { rowsOf } from "./grid";
import { HeatTable } from "./HeatTable";
import { StreetCard } from "./StreetCard";
import { RowCard } from "./RowCard";

const AnswerChart = lazy(() => import("./AnswerChart"));
const AnswerTable = lazy(() => import("./AnswerTable"));
const LayerTable = lazy(() => import("../sources/LayerTable"));
const LEAST = 120;

export function ResultsPanel({ overview }: { overview: Overview }) {
  const { stage, question, street, notice, panelHeight, layer, setPanelHeight, showStreet, tell, lookAtLayer } = useScreen("stage", "question", "street", "notice", "panelHeight", "layer", "setPanelHeight", "showStreet", "tell", "lookAtLayer");
  const { data: answer } = useAnswer(overview.id, stage === "sheet" ? question : null);
  const { data: sheet } = useSheet(overview.id);
  const block = sheet?.blocks.find((one): one is QuestionBlock => one.kind === "question" && one.id === question);
  const [shut, setShut] = useState(false);
  const start = useRef<{ y: number; height: number } | null>(null);
  const drag = {
    onPointerDown: (event: PointerEvent) => {
      start.current = { y: event.clientY, height: panelHeight };
      event.currentTarget.setPointerCapture(event.pointerId);
    },
    onPointerMove: (event: PointerEvent) => {
      if (!start.current) return;
      const height = start.current.height + start.current.y - event.clientY;
      setPanelHeight(Math.min(Math.max(height, LEAST), window.innerHeight * 0.6));
    },
    onPointerUp: () => (start.current = null),
  };
  if (street) {
    return (
      <section className="results" style={{ height: panelHeight }} aria-label={t`Street`}>
        <div className="grip" {...drag} />
        <StreetCard street={street} onClose={() => showStreet(null)}>{stage === "sheet" && answer && <ArrivalThere study={overview.id} answer={answer} street={street} />}</StreetCard>
      </section>
    );
  }
  if (notice) {
    return (
      <section className="results shut" aria-label={t`Notice`}>
        <div className="results-head">
          <span role="alert">{notice}</span>
          <div className="side">
            <button className="linkish" onClick={() => tell(null)}>
              <Trans>Close</Trans>
            </button>
          </div>
        </div>
      </section>
    );
  }
  if (stage === "sources" && layer) {
    return (
      <section className="results" style={{ height: panelHeight }} aria-label={t`Table of the layer`}>
        <div className="grip" {...drag} />
        <Suspense fallback={null}>
          <LayerTable overview={overview} ident={layer} close={() => lookAtLayer(null)} />
        </Suspense>
      </section>
    );
  }
  if (stage !== "sheet" || !answer?.result.view.tables?.length) return null;
  return (
    <section className={shut ? "results shut" : "results"} style={shut ? undefined : { height: panelHeight }} aria-label={t`Table and chart of the answer`}>
      <div className="grip" {...drag} />
      <AnswerTray key={question} block={block} study={overview.id} question={question ?? ""} name={block?.title ?? answer.result.title} answer={answer} shut={shut} onShut={() => setShut(!shut)} />
    </section>
  );
}

type AnswerTrayProps = { block: QuestionBlock | undefined; study: string; question: string; name: string; answer: Answer; shut: boolean; onShut: () => void };

function AnswerTray({ block, study, question, name, answer, shut, onShut }: AnswerTrayProps) {
  const [sought, setSought] = useState("");
  const [heat, setHeat] = useState(false);
  const [whole, setWhole] = useState(false);
  const [chosen, setTab] = useState(0);
  const [chart, setChart] = useState(0);
  const { row, selectRow } = useScreen("row", "selectRow");
  const { change } = useSheetActions(study);
  const { tables = [], card, files = [] } = answer.result.view;
  // Another answer may have fewer tables: the leading one is shown then.
  const tab = chosen < tables.length ? chosen : 0;
  const table = tables[tab];
  const part = table?.part ?? "";
  const all = rowsOf(answer.result, part);
  const rows = sought.trim() ? all.filter((row) => Object.values(row).some((value) => String(value).toLowerCase().includes(sought.trim().toLowerCase()))) : all;
  const carded = card && rowsOf(answer.result, card.part).find((one) => String(one[card.key]) === row);
  const pivot = table?.pivot;
  return (
    <>
      <div className="results-head">
        <h2>{name}</h2>
        {!shut && tables.length > 1 && (
          <div className="switches" role="group" aria-label={t`Tables of the answer`}>
            {tables.map(({ title, part }, i) => (
              <button key={part} className="linkish" aria-pressed={i === tab} onClick={() => setTab(i)}>
                {title || capitalized(part)}
              </button>
            ))}
          </div>
        )}
        <div className="side">
          {!shut && all.length > SEARCHED && (
            <input className="seek" type="search" placeholder={t`Find a row`} aria-label={t`Find a row`} value={sought} onChange={(event) => setSought(event.target.value)} />
          )}
          {!shut && pivot && (
            <button className="linkish" aria-pressed={heat} onClick={() => setHeat(!heat)}>
              {heat ? t`As rows` : pivot.title ? t`As a table` : t`As a table of minutes`}
            </button>
          )}
          {!shut && !heat && (
            <button className="linkish" aria-pressed={whole} onClick={() => setWhole(!whole)}>
              {whole ? t`Fewer columns` : t`All columns`}
            </button>
          )}
          <span>{plural(rows.length, { one: "# row", other: "# rows" })}</span>
          {files.map(({ format, part: whole = "all" }) => (
            <a key={format} href={`/studies/${study}/export/answers/${question}/${whole === tables[0]?.part ? part : whole}?format=${format}`}>
              {whole === "all" || tables.some((one) => one.part === whole) ? (NAMES[format] ?? format) : `${capitalized(whole)}, ${NAMES[format] ?? format}`}
            </a>
          ))}
          <button className="linkish" aria-expanded={!shut} onClick={onShut}>
            {shut ? t`Open the results` : t`Close the results`}
          </button>
        </div>
      </div>
      {!shut && (
        <>
          <div className="results-table">
            <Suspense fallback={null}>
              {heat && pivot ? <HeatTable rows={rows} pivot={pivot} /> : table && <AnswerTable key={part} answer={answer} table={table} rows={rows} whole={whole} />}
            </Suspense>
          </div>
          <div className="results-chart">
            <Suspense fallback={null}>
              {card && carded ? <RowCard result={answer.result} card={card} row={carded} close={() => selectRow(null)} /> : <AnswerChart result={answer.result} shown={chart} onShow={setChart} onSet={(input, value) => block && void change(block, { ...block.inputs, [input]: value })} />}
            </Suspense>
          </div>
        </>
      )}
    </>
  );
}

const capitalized = (part: string) => (part[0]?.toUpperCase() ?? "") + part.slice(1).replaceAll("_", " ");

/** From so many rows on a row can be looked for. */
const SEARCHED = 12;
const NAMES: Record<string, string> = { csv: "CSV", gpkg: "GeoPackage", gpx: "GPX", parquet: "Parquet", omx: "OMX", xlsx: "XLSX" };
