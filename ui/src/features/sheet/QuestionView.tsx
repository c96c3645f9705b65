/** One question of the sheet: its sentence, the editor of the word in hand, figures, doubts, and what can be done. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { LinearProgress } from "@mui/material";
import { Fragment, useEffect, useRef, useState } from "react";
import { isComplete, isPointSet, valueAt, type ProcessInfo } from "../../api/inputs";
import { stopJob, type Overview } from "../../api/studies";
import { clock, elapsed, figure } from "../../common/format";
import { Committed } from "../../controls/inline";
import { isStale, useAnswer, useOtherAnswers, useSheet, useSheetActions, type Answer, type QuestionBlock } from "../../state/sheet";
import { useScreen, useScreenValue } from "../../state/screen";
import type { Picking } from "../../state/slices/questions";
import { DoubtView } from "./DoubtView";
import { CompareWith } from "../compare/CompareWith";
import { COMPARE } from "../../state/comparable";
import { Differing } from "../compare/Differing";
import { OverWhatIfs } from "./OverWhatIfs";
import { freshId, inkOf, insertedAfter, questionNames, replaced, shifted, without } from "../../state/blocks";
import { measureOf, SlotEditor } from "../../controls/SlotEditor";
import { wordedFor } from "../../controls/riding";
import { hintOf, offersOf, sentencePieces } from "../../controls/sentence";
import { slotWords } from "../../controls/words";

type Props = { number: number; block: QuestionBlock; process: ProcessInfo | undefined; overview: Overview };

export function QuestionView({ number, block, process: described, overview }: Props) {
  const process = described && wordedFor(described, overview.modes, block.inputs);
  const { question, picking, selectQuestion, edit, pick } = useScreen("question", "picking", "selectQuestion", "edit", "pick");
  const { data: answer, isFetched } = useAnswer(overview.id, block.id);
  const { ask, save } = useSheetActions(overview.id);
  const selected = question === block.id;
  const run = useScreenValue((screen) => screen.runs[block.id]);
  const slots = process?.["x-awl"].slots;
  const complete = isComplete(block.inputs, slots);
  const waits = isFetched && answer === null && !run && complete;
  const section = useRef<HTMLElement>(null);
  const [naming, setNaming] = useState(false);
  const [over, setOver] = useState(false);
  const comparing = useScreenValue((screen) => screen.comparing === block.id);
  const compareWith = useScreenValue((screen) => screen.compareWith);
  useEffect(() => {
    if (selected) section.current?.scrollIntoView({ block: "nearest" });
  }, [selected, answer]);
  useEffect(() => {
    if (waits) void ask(block.id, block.process, block.inputs);
  }, [waits, ask, block]);
  if (!process) return <p className="problem"><Trans>This sheet holds a question Awl does not know: {block.process}.</Trans></p>;

  const select = () => selectQuestion(block.id);
  const remove = () => {
    selectQuestion(null);
    void save((sheet) => ({ blocks: without(sheet.blocks, block.id) }));
  };
  const copy = () => {
    const twin: QuestionBlock = { ...block, id: freshId("q"), ...(block.title ? { title: t`${block.title}, copy` } : {}) };
    selectQuestion(twin.id);
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
      <button className="number" style={{ color: `var(${inkOf(number)})` }} aria-label={t`Show question ${number} on the map`} aria-pressed={selected} onClick={select}>
        {number}
      </button>
      {(block.title || naming) && <Committed label={t`Name of question ${number}`} kind="name" value={block.title ?? ""} placeholder={t`A name`} onCommit={rename} />}
      <Sentence block={block} process={process} overview={overview} onSelect={select} />
      {picking?.question === block.id && (
        <p className="notice" role="status">
          <Trans>Click the map to {pickingHint(block, picking, process)}. Escape ends this.</Trans>
        </p>
      )}
      {run && run.error === null && !run.stopped && (
        <div className="running" role="status">
          <div>
            <span>{run.message}</span>
            <span>
              {run.secondsLeft !== null && run.secondsLeft > 1 ? t`${figure(run.secondsLeft)} s left` : ""}{" "}
              {run.job && (
                <button className="linkish" onClick={() => void stopJob(run.job ?? "")}>
                  <Trans>Stop</Trans>
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
      {run?.stopped && <p className="notice"><Trans>Stopped. The former answer stands.</Trans></p>}
      {answer && <AnswerView answer={answer} full={selected} stale={stale && !(run && !run.error)} />}
      {selected && comparing && <CompareWith overview={overview} block={block} made={answer?.made} close={() => compareWith(null)} />}
      {selected && over && <OverWhatIfs overview={overview} block={block} close={() => setOver(false)} />}
      {selected && (
        <div className="block-tools">
          {answer && block.process !== COMPARE && !comparing && (
            <button className="linkish" title={t`With another answer of this kind, or with this one as it stands now`} onClick={() => compareWith(block.id)}>
              <Trans>Compare</Trans>
            </button>
          )}
          {overview.whatIfs.length > 0 && complete && !over && slots?.what_if && (
            <button className="linkish" title={t`The same question as the study is, and with each what-if`} onClick={() => setOver(true)}>
              <Trans>Over what-ifs</Trans>
            </button>
          )}
          {(stale || run?.error || run?.stopped) && complete && (
            <button className="linkish" onClick={() => void ask(block.id, block.process, block.inputs)}>
              <Trans>Ask again</Trans>
            </button>
          )}
          {offersOf(process, block.inputs).map(([slot, { label, hint, by }]) => (
            <button key={slot} className="linkish" title={hint} onClick={() => {
                edit(by === "map" ? null : slot);
                if (by === "map") pick({ question: block.id, slot });
              }}>
              {label}
            </button>
          ))}
          <button className="linkish" onClick={() => setNaming(true)}>
            <Trans>Name</Trans>
          </button>
          <button className="linkish" onClick={copy}>
            <Trans>Copy</Trans>
          </button>
          <button className="linkish" aria-label={t`Move question ${number} up`} onClick={() => shift(-1)}>
            <Trans>Up</Trans>
          </button>
          <button className="linkish" aria-label={t`Move question ${number} down`} onClick={() => shift(1)}>
            <Trans>Down</Trans>
          </button>
          <button className="linkish" onClick={remove}>
            <Trans>Remove</Trans>
          </button>
          {answer && <span><Trans>answered {clock(answer.made)} in {elapsed(answer.seconds)}</Trans></span>}
        </div>
      )}
    </section>
  );
}

/** What a click on the map will do. */
function pickingHint(block: QuestionBlock, { slot, path }: Picking, process: ProcessInfo): string {
  const points = valueAt(block.inputs, path ?? [slot]);
  const of = process["x-awl"].slots[slot];
  return of ? hintOf(of, isPointSet(points) ? points.features.length : 0) : t`set the point`;
}

function Sentence({ block, process, overview, onSelect }: { block: QuestionBlock; process: ProcessInfo; overview: Overview; onSelect: () => void }) {
  const { editing, edit: openEditor } = useScreen("editing", "edit");
  const slots = process["x-awl"].slots;
  const open = editing?.question === block.id ? editing.slot : null;
  const openSlot = open ? slots[open] : undefined;
  const { data: sheet } = useSheet(overview.id);
  const others = useOtherAnswers(overview.id);
  const known = {
    layers: overview.layers,
    slots,
    questions: questionNames(sheet?.blocks ?? []),
    kept: others,
    whatIfs: Object.fromEntries(overview.whatIfs.map(({ id, title }) => [id, title])),
    measure: measureOf(process, block.inputs),
  };
  // A word is a span, not a button element, because it must break across lines as prose does.
  const edit = (slot: string) => {
    onSelect();
    openEditor(open === slot ? null : slot);
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
              {slotWords(slot, value, known)}
            </span>
          );
        })}
      </p>
      {open && openSlot && <SlotEditor key={open} block={block} process={process} name={open} slot={openSlot} overview={overview} />}
    </>
  );
}

function AnswerView({ answer, full, stale }: { answer: Answer; full: boolean; stale: boolean }) {
  const { figures, doubts, method } = answer.result;
  const { compared } = answer.result.view;
  return (
    <>
      {stale && <p className="stale">{answer.fresh ? t`This answer is stale: the question has changed since.` : t`This answer is stale: streets, layers or the mode have changed since.`}</p>}
      {compared && <Differing compared={compared} />}
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
            <Trans>How this was found</Trans>
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
