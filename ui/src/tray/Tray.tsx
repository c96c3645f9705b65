/** The tray under the map: table and chart of the selected answer, or the card of the street that was clicked. */
import { useRef, useState, type PointerEvent } from "react";
import type { Overview } from "../api/own";
import { LayerTable } from "../layers/LayerTable";
import { useAnswer } from "../state/sheet";
import { useScreen } from "../state/store";
import { AnswerChart } from "./AnswerChart";
import { AnswerTable, rowsOf } from "./AnswerTable";
import { StreetCard } from "./StreetCard";

const LEAST = 120;

export function Tray({ overview }: { overview: Overview }) {
  const { stage, question, street, notice, trayHeight, layer, set } = useScreen();
  const { data: answer } = useAnswer(overview.id, stage === "sheet" ? question : null);
  const [shut, setShut] = useState(false);
  const start = useRef<{ y: number; height: number } | null>(null);
  const drag = {
    onPointerDown: (event: PointerEvent) => {
      start.current = { y: event.clientY, height: trayHeight };
      event.currentTarget.setPointerCapture(event.pointerId);
    },
    onPointerMove: (event: PointerEvent) => {
      if (!start.current) return;
      const height = start.current.height + start.current.y - event.clientY;
      set({ trayHeight: Math.min(Math.max(height, LEAST), window.innerHeight * 0.6) });
    },
    onPointerUp: () => (start.current = null),
  };
  if (street) {
    return (
      <section className="tray" style={{ height: trayHeight }} aria-label="Street">
        <div className="grip" {...drag} />
        <StreetCard street={street} onClose={() => set({ street: null })} />
      </section>
    );
  }
  if (notice) {
    return (
      <section className="tray shut" aria-label="Notice">
        <div className="tray-head">
          <span role="alert">{notice}</span>
          <div className="side">
            <button className="linkish" onClick={() => set({ notice: null })}>
              Close
            </button>
          </div>
        </div>
      </section>
    );
  }
  if (stage === "sources" && layer) {
    return (
      <section className="tray" style={{ height: trayHeight }} aria-label="Table of the layer">
        <div className="grip" {...drag} />
        <LayerTable overview={overview} ident={layer} close={() => set({ layer: null, chosen: [] })} />
      </section>
    );
  }
  if (stage !== "sheet" || !answer?.result.table) return null;
  const rows = rowsOf(answer.result);
  return (
    <section className={shut ? "tray shut" : "tray"} style={shut ? undefined : { height: trayHeight }} aria-label="Table and chart of the answer">
      <div className="grip" {...drag} />
      <div className="tray-head">
        <h2>{answer.result.title}</h2>
        <div className="side">
          <span>{rows.length === 1 ? "1 row" : `${rows.length} rows`}</span>
          <a href={`/studies/${overview.id}/export/answers/${question}/${answer.result.table.part}?format=csv`}>CSV</a>
          <button className="linkish" aria-expanded={!shut} onClick={() => setShut(!shut)}>
            {shut ? "Open the tray" : "Close the tray"}
          </button>
        </div>
      </div>
      {!shut && (
        <>
          <div className="tray-table">
            <AnswerTable answer={answer} rows={rows} />
          </div>
          <div className="tray-chart">
            <AnswerChart result={answer.result} />
          </div>
        </>
      )}
    </section>
  );
}
