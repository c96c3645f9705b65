/** One question of the sheet: its sentence, the editor of the word in hand, figures, doubts, and what can be done. */
import { LinearProgress } from "@mui/material";
import { Fragment, useEffect, useRef, useState } from "react";
import { stopJob, type Inputs, type Offer, type Overview, type ProcessInfo } from "../api/own";
import { clock, elapsed, figure } from "../common/format";
import { Committed } from "../common/words";
import { isComplete, isStale, useAnswer, useSheet, useSheetActions, type Answer, type QuestionBlock } from "../state/sheet";
import { useScreen } from "../state/store";
import { DoubtView } from "./DoubtView";
import { freshId, inkOf, insertedAfter, replaced, shifted, without } from "./blocks";
import { SlotEditor } from "./SlotEditor";
import { isPointSet, questionNames, sentencePieces, slotWords } from "./words";

type Props = { number: number; block: QuestionBlock; process: ProcessInfo | undefined; overview: Overview };

export function QuestionView({ number, block, process, overview }: Props) {
  const { question, set, runs, picking } = useScreen();
  const { data: answer, isFetched } = useAnswer(overview.id, block.id);
  const { ask, save } = useSheetActions(overview.id);
  const selected = question === block.id;
  const run = runs[block.id];
  const waits = isFetched && answer === null && !run && isComplete(block.inputs);
  const section = useRef<HTMLElement>(null);
  const [naming, setNaming] = useState(false);
  useEffect(() => {
    if (selected) section.current?.scrollIntoView({ block: "nearest" });
  }, [selected, answer]);
  useEffect(() => {
    if (waits) void ask(block.id, block.process, block.inputs);
  }, [waits, ask, block]);
  if (!process) return <p className="problem">This sheet holds a question Awl does not know: {block.process}.</p>;

  const select = () => set({ question: block.id, street: null, row: null, minute: null, ...(selected ? {} : { zoneLook: { field: null, classing: "equal", own: null } }) });
  const remove = () => {
    set({ question: null, editing: null, picking: null });
    void save((sheet) => ({ blocks: without(sheet.blocks, block.id) }));
  };
  const copy = () => {
    const twin: QuestionBlock = { ...block, id: freshId("q"), ...(block.title ? { title: `${block.title}, copy` } : {}) };
    set({ question: twin.id, editing: null, picking: null });
    void save((sheet) => ({ blocks: insertedAfter(sheet.blocks, block.id, twin) }));
  };
  const shift = (by: 1 | -1) => void save((sheet) => ({ blocks: shifted(sheet.blocks, block.id, by) }));
  const rename = (title: string) => {
    setNaming(false);
    const { title: former, ...rest } = block;
    if (title !== (former ?? "")) void save((sheet) => ({ blocks: replaced(sheet.blocks, title ? { ...rest, title } : rest) }));
  };
  const stale = isStale(block, answer);
  return (
    <section ref={section} className={selected ? "block selected" : "block"} data-question={block.id} onFocus={() => !selected && select()}>
      <button className="number" style={{ color: `var(${inkOf(number)})` }} aria-label={`Show question ${number} on the map`} aria-pressed={selected} onClick={select}>
        {number}
      </button>
      {(block.title || naming) && <Committed label={`Name of question ${number}`} kind="name" value={block.title ?? ""} placeholder="A name" onCommit={rename} />}
      <Sentence block={block} process={process} overview={overview} onSelect={select} />
      {picking?.question === block.id && (
        <p className="notice" role="status">
          Click the map to {pickingHint(block, picking.slot)}. Escape ends this.
        </p>
      )}
      {run && run.error === null && !run.stopped && (
        <div className="running" role="status">
          <div>
            <span>{run.message}</span>
            <span>
              {run.secondsLeft !== null && run.secondsLeft > 1 ? `${figure(run.secondsLeft)} s left ` : ""}
              {run.job && (
                <button className="linkish" onClick={() => void stopJob(run.job ?? "")}>
                  Stop
                </button>
              )}
            </span>
          </div>
          <LinearProgress variant="determinate" value={run.progress * 100} aria-label={run.message} />
        </div>
      )}
      {run?.error && (
        <p className="problem" role="alert">
          {run.error}
        </p>
      )}
      {run?.stopped && <p className="notice">Stopped. The former answer stands.</p>}
      {answer && <AnswerView answer={answer} full={selected} stale={stale && !(run && !run.error)} />}
      {selected && (
        <div className="block-tools">
          {(stale || run?.error || run?.stopped) && isComplete(block.inputs) && (
            <button className="linkish" onClick={() => void ask(block.id, block.process, block.inputs)}>
              Ask again
            </button>
          )}
          {offersOf(process, block.inputs).map(([slot, { label, hint, by }]) => (
            <button key={slot} className="linkish" title={hint} onClick={() => set(by === "map" ? { editing: null, picking: { question: block.id, slot } } : { editing: { question: block.id, slot }, picking: null })}>
              {label}
            </button>
          ))}
          <button className="linkish" onClick={() => setNaming(true)}>
            Name
          </button>
          <button className="linkish" onClick={copy}>
            Copy
          </button>
          <button className="linkish" aria-label={`Move question ${number} up`} onClick={() => shift(-1)}>
            Up
          </button>
          <button className="linkish" aria-label={`Move question ${number} down`} onClick={() => shift(1)}>
            Down
          </button>
          <button className="linkish" onClick={remove}>
            Remove
          </button>
          {answer && <span>answered {clock(answer.made)} in {elapsed(answer.seconds)}</span>}
        </div>
      )}
    </section>
  );
}

/** Inputs that the sentence does not hold yet and that can be given now, in order. */
function offersOf({ "x-awl": { slots } }: ProcessInfo, inputs: Inputs): [string, Offer][] {
  const given = (name: string) => !!inputs[name] && !(Array.isArray(inputs[name]) && inputs[name].length === 0);
  return Object.entries(slots)
    .flatMap(([slot, { offer }]): [string, Offer][] => (offer ? [[slot, offer]] : []))
    .filter(([slot, { always, needs = [], unless = [] }]) => (always || !given(slot)) && needs.every(given) && !unless.some(given))
    .sort(([, a], [, b]) => (a.rank ?? 1) - (b.rank ?? 1));
}

/** What a click on the map will do. */
function pickingHint(block: QuestionBlock, slot: string): string {
  if (slot === "closures" || slot === "against") return "close the street there";
  if (slot === "expected") return "set a point your own way passes";
  if (slot !== "waypoints") return slot === "events" ? "set the event" : "set the point";
  const count = isPointSet(block.inputs.waypoints) ? block.inputs.waypoints.features.length : 0;
  return count === 0 ? "set the start" : "set the next point";
}

function Sentence({ block, process, overview, onSelect }: { block: QuestionBlock; process: ProcessInfo; overview: Overview; onSelect: () => void }) {
  const { editing, set } = useScreen();
  const slots = process["x-awl"].slots;
  const open = editing?.question === block.id ? editing.slot : null;
  const openSlot = open ? slots[open] : undefined;
  const { data: sheet } = useSheet(overview.id);
  const measure = block.inputs.measure ?? process.inputs?.measure?.schema?.default;
  const known = {
    ...(slots.mode?.words ? { modes: slots.mode.words } : {}),
    questions: questionNames(sheet?.blocks ?? []),
    measure: typeof measure === "string" ? measure : "time",
  };
  // A word is a span, not a button element, because it must break across lines as prose does.
  const edit = (slot: string) => {
    onSelect();
    set({ editing: open === slot ? null : { question: block.id, slot }, picking: null });
  };
  return (
    <>
      <p className="sentence">
        {sentencePieces(process, block.inputs).map((piece, i) => {
          if ("text" in piece) return <Fragment key={i}>{piece.text}</Fragment>;
          const slot = slots[piece.slot];
          if (!slot) return null;
          const value = block.inputs[piece.slot];
          const empty = isPointSet(value) && value.features.length === 0;
          return (
            <span
              key={i}
              role="button"
              tabIndex={0}
              className={`slot ${slot.kind}${empty ? " open-place" : ""}`}
              data-slot={piece.slot}
              aria-expanded={open === piece.slot}
              title={slot.label}
              onClick={() => edit(piece.slot)}
              onKeyDown={(event) => {
                if (event.key !== "Enter" && event.key !== " ") return;
                event.preventDefault();
                edit(piece.slot);
              }}
            >
              {slotWords(piece.slot, slot, value, overview.layers, known)}
            </span>
          );
        })}
      </p>
      {open && openSlot && <SlotEditor key={open} block={block} name={open} slot={openSlot} overview={overview} />}
    </>
  );
}

function AnswerView({ answer, full, stale }: { answer: Answer; full: boolean; stale: boolean }) {
  const { figures, doubts, method } = answer.result;
  return (
    <>
      {stale && <p className="stale">This answer is stale: {answer.fresh ? "the question has changed" : "streets, layers or the mode have changed"} since.</p>}
      <div className="figures">
        {figures.slice(0, 3).map((item) => (
          <div className="figure" key={item.label}>
            <b className={typeof item.value === "string" ? "word" : undefined}>
              {typeof item.value === "number" ? figure(item.value, decimals(item.value, item.unit)) : (item.value ?? "–")}
              {item.unit && <small>{item.unit}</small>}
            </b>
            <span>{item.label}</span>
          </div>
        ))}
      </div>
      {doubts.slice(0, full ? 8 : 1).map((doubt) => (
        <DoubtView key={doubt.code + doubt.text} doubt={doubt} full={full} />
      ))}
      {full && (
        <details>
          <summary className="stale" style={{ color: "var(--ink-2)", marginTop: 4, cursor: "pointer" }}>
            How this was found
          </summary>
          <ul className="method">
            {method.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

const decimals = (value: number, unit: string) => (unit === "people" || Number.isInteger(value) ? 0 : unit === "km²" ? 2 : 1);
