/** A form in words: what it is called, which words of the sheet it asks for, what it shows and gives away. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { type Form, formAddresses, type Overview, type SheetBody, sheetFit } from "../../api/studies";
import { Committed } from "../../controls/inline";
import { questionNames } from "../../state/blocks";
import { misfitWords } from "../../state/misfits";
import { useProcesses, useSheet, useSheetActions, type QuestionBlock } from "../../state/sheet";
import { useScreen } from "../../state/screen";
import { BlankRow } from "./BlankRow";
import { freeName, freshForm, replaced, withBlank, withoutBlank, withoutForm, withWordAsked } from "./forms";
import { ShownRow } from "./ShownRow";
import { WordsToAsk } from "./WordsToAsk";

export const formAddress = (study: string, form: string) => `/studies/${study}/forms/${form}`;

export function FormEditor({ overview }: { overview: Overview }) {
  const study = overview.id;
  const { data: sheet } = useSheet(study);
  const { save } = useSheetActions(study);
  const { form: open, openForm } = useScreen("form", "openForm");
  // The form lies in the place of the map while one is at this stage.
  useEffect(() => () => openForm(null), [openForm]);
  const questions = (sheet?.blocks ?? []).filter((block): block is QuestionBlock => block.kind === "question");
  if (!sheet || questions.length === 0) return <p className="notice"><Trans>Ask a question in the sheet; its words can be asked for in a form.</Trans></p>;
  const form = sheet.forms.find(({ id }) => id === open);
  const make = () => {
    const fresh = freshForm(sheet.title || t`A form`, questions, sheet.forms.map(({ id }) => id));
    void save(({ forms }) => ({ forms: [...forms, fresh] }));
    openForm(fresh.id);
  };
  if (!form) {
    return (
      <>
        {sheet.forms.map(({ id, title }) => (
          <p className="prose" key={id}>
            <button className="linkish" onClick={() => openForm(id)}>{title}</button>{" "}
            <span className="faint">{formAddress(study, id)}</span>
          </p>
        ))}
        <p className="prose">
          <button className="linkish" onClick={make}><Trans>Make a form</Trans></button>{" "}
          <Trans>of this sheet: a page at its own address where a colleague fills in some words, and gets what you choose.</Trans>
        </p>
      </>
    );
  }
  return <OpenForm key={form.id} overview={overview} form={form} questions={questions} />;
}

function OpenForm({ overview, form, questions }: { overview: Overview; form: Form; questions: QuestionBlock[] }) {
  const study = overview.id;
  const { data: sheet } = useSheet(study);
  const { data: processes = [] } = useProcesses(study);
  const { save } = useSheetActions(study);
  const { openForm, sheet: current } = useScreen("openForm", "sheet");
  const [removing, setRemoving] = useState(false);
  const { data: unfit = [] } = useQuery({ queryKey: ["fit", study, current, sheet?.changed], queryFn: () => sheetFit(study, current), enabled: !!sheet?.changed, meta: { panel: "page", what: t`What does not fit` } });
  const { data: addresses = [] } = useQuery({ queryKey: ["form-addresses", study, sheet?.changed], queryFn: () => formAddresses(study), enabled: !!sheet?.changed });
  if (!sheet) return null;
  const names = questionNames(sheet.blocks);
  const order = questions.map(({ id }) => id);
  const change = (next: (body: SheetBody) => Partial<SheetBody>) => void save(next);
  const put = (changed: Form) => change(({ forms }) => ({ forms: replaced(forms, changed) }));
  const rename = (text: string) => {
    const id = freeName(text, sheet.forms.filter((one) => one !== form).map((one) => one.id), "form");
    if (id === form.id) return;
    change(({ forms }) => ({ forms: forms.map((one) => (one.id === form.id ? { ...one, id } : one)) }));
    openForm(id);
  };
  const lacking = unfit.filter((one) => one.form === form.id || (one.blank !== undefined && form.asks.includes(one.blank)) || (one.block !== undefined && form.shows.some(({ question }) => question === one.block)));
  const address = addresses.find(({ id }) => id === form.id)?.href ?? location.origin + formAddress(study, form.id);
  return (
    <div className="form-editor">
      {lacking.length > 0 && (
        <div className="problem" role="alert">
          <Trans>This form no longer fits:</Trans>
          <ul className="method">{lacking.map((one) => <li key={misfitWords(one)}>{misfitWords(one)}</li>)}</ul>
        </div>
      )}
      <p className="sentence">
        <Trans>
          A form called <Committed label={t`Title of the form`} kind="way" value={form.title} placeholder={t`a title`} onCommit={(title) => title && put({ ...form, title })} />, made by{" "}
          <Committed label={t`Who made it`} kind="way" value={form.author} placeholder={t`nobody named`} onCommit={(author) => put({ ...form, author })} />, at the address{" "}
          <Committed label={t`Last part of the address`} kind="way" value={form.id} placeholder={form.id} onCommit={rename} />.
        </Trans>
      </p>
      <Lines label={t`What it is for`} value={form.text} onCommit={(text) => put({ ...form, text })} />
      <Lines label={t`What it assumes`} value={form.assumes} onCommit={(assumes) => put({ ...form, assumes })} />
      <h3><Trans>Words a colleague fills in</Trans></h3>
      <p className="faint"><Trans>Choose them in the sentences; the others stay as the sheet has them.</Trans></p>
      {questions.map((block) => {
        const process = processes.find(({ id }) => id === block.process);
        return process && <WordsToAsk key={block.id} overview={overview} block={block} process={process} form={form} blanks={sheet.blanks} names={names} onAsk={(input, slot) => change((body) => withWordAsked(body, form, block.id, input, slot))} />;
      })}
      {form.asks.map((name) => {
        const blank = sheet.blanks.find((one) => one.name === name);
        const block = questions.find(({ id }) => id === blank?.question);
        const slot = processes.find(({ id }) => id === block?.process)?.["x-awl"].slots[blank?.input ?? ""];
        return (
          <BlankRow key={name} overview={overview} name={name} blank={blank} slot={slot} onChange={(changed) => change(({ blanks }) => ({ blanks: withBlank(blanks, changed) }))} onRemove={() => change((body) => withoutBlank(body, form, name))} />
        );
      })}
      <h3><Trans>What it shows and gives away</Trans></h3>
      {questions.map((block) => (
        <ShownRow key={block.id} study={study} block={block} name={names[block.id] ?? block.process} process={processes.find(({ id }) => id === block.process)} form={form} order={order} onChange={put} />
      ))}
      <div className="downloads">
        <a href={formAddress(study, form.id)} target="_blank" rel="noreferrer"><Trans>Open the form</Trans></a>
        <button className="linkish" onClick={() => void navigator.clipboard.writeText(address)}><Trans>Copy its address</Trans></button>
        <button className="linkish" onClick={() => openForm(null)}><Trans>Put away</Trans></button>
      </div>
      <p>
        {removing ? (
          <>
            <Trans>Colleagues who have its address will find nothing there.</Trans>{" "}
            <button className="linkish" onClick={() => { change((body) => withoutForm(body, form.id)); openForm(null); }}><Trans>Remove it</Trans></button>{" "}
            <button className="linkish" onClick={() => setRemoving(false)}><Trans>Keep it</Trans></button>
          </>
        ) : (
          <button className="linkish" onClick={() => setRemoving(true)}><Trans>Remove the form</Trans></button>
        )}
      </p>
    </div>
  );
}

/** Some lines of text, kept when they are left. */
function Lines({ label, value, onCommit }: { label: string; value: string; onCommit: (text: string) => void }) {
  return (
    <label className="lines">
      <span>{label}</span>
      <textarea key={value} className="slot way" rows={1} maxLength={2000} defaultValue={value} onBlur={({ currentTarget }) => { if (currentTarget.value.trim() !== value) onCommit(currentTarget.value.trim()); }} />
    </label>
  );
}
