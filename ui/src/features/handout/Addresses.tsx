/** The address of an answer in the web API, and the same question for other programs, ready to copy. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { Word } from "../../controls/inline";
import { questionNames } from "../../state/blocks";
import { useSheet, type QuestionBlock } from "../../state/sheet";
import { askedAs, type Form } from "./asking";

export function Addresses({ study }: { study: string }) {
  const { data: sheet } = useSheet(study);
  const [chosen, choose] = useState<string | null>(null);
  const [form, setForm] = useState<Form>("curl");
  const [copied, setCopied] = useState<string | null>(null);
  const blocks = sheet?.blocks ?? [];
  const questions = blocks.filter((block): block is QuestionBlock => block.kind === "question");
  const block = questions.find(({ id }) => id === chosen) ?? questions[0];
  const names = questionNames(blocks);
  if (!block) return <p className="notice"><Trans>No answer yet. Ask a question in the sheet.</Trans></p>;
  const text = askedAs(form, { study, process: block.process, inputs: block.inputs }, location.origin);
  const copy = () => navigator.clipboard.writeText(text).then(() => setCopied(text), () => setCopied(null));
  return (
    <>
      <p className="sentence">
        <Trans>
          <Word kind="place" label={t`Question for other programs`} value={block.id} options={questions.map(({ id }): [string, string] => [id, names[id] ?? id])} onChange={choose} /> for{" "}
          <Word kind="way" label={t`Program`} value={form} options={[["curl", t`a shell`], ["python", t`Python`], ["r", t`R`], ["command", t`the command`]]} onChange={(next) => setForm(next as Form)} />
        </Trans>
      </p>
      <pre className="asking-code" tabIndex={0} aria-label={t`The question as text`}>{text}</pre>
      <button className="linkish" onClick={() => void copy()}>
        {copied === text ? t`Copied` : t`Copy the text`}
      </button>
    </>
  );
}
