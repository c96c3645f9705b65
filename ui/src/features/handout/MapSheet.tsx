/** A map sheet in words: which answer, on which paper, at which scale, with what on it. The sheet itself lies in the place of the map. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Fragment, useEffect } from "react";
import { figure } from "../../common/format";
import { Committed, Word } from "../../controls/inline";
import { questionNames } from "../../state/blocks";
import { useKeptCopies, useSheet, type QuestionBlock } from "../../state/sheet";
import { useScreen } from "../../state/screen";
import type { Paper } from "../../state/slices/handout";
import { addressOf, FORMATS, scaleOf } from "./paper";

const PLAIN: Omit<Paper, "answer"> = { paper: "A4", orientation: "landscape", colour: "colour", scale: null, title: "", legend: true, method: true };

export function MapSheet({ study }: { study: string }) {
  const { data: sheet } = useSheet(study);
  const { data: copies = [] } = useKeptCopies(study);
  const { paper, question, layOut } = useScreen("paper", "question", "layOut");
  const blocks = sheet?.blocks ?? [];
  const names = questionNames(blocks);
  const asked = blocks.filter((block): block is QuestionBlock => block.kind === "question");
  const answers: [string, string][] = [...asked.map(({ id }): [string, string] => [id, names[id] ?? id]), ...copies.map(({ id, title }): [string, string] => [id, `'${title}'`])];
  const first = answers.find(([id]) => id === question)?.[0] ?? answers[0]?.[0];
  // The paper lies there while one is at this stage.
  useEffect(() => () => layOut(null), [layOut]);
  if (!first) return <p className="notice"><Trans>No answer yet. Ask a question in the sheet.</Trans></p>;
  if (!paper) {
    return (
      <p className="prose">
        <button className="linkish" onClick={() => layOut({ ...PLAIN, answer: first })}>
          <Trans>Lay out a map sheet</Trans>
        </button>{" "}
        <Trans>of an answer: on paper, with title, legend, scale, north, sources, method and doubts.</Trans>
      </p>
    );
  }
  const put = (change: Partial<Paper>) => layOut({ ...paper, ...change });
  const yes = (on: boolean) => (on ? "yes" : "no");
  return (
    <>
      <p className="sentence">
        <Trans>
          An <Word kind="amount" label={t`Size of the paper`} value={paper.paper} options={[["A5", t`A5`], ["A4", t`A4`], ["A3", t`A3`], ["A2", t`A2`]]} onChange={(size) => put({ paper: size as Paper["paper"] })} />{" "}
          <Word kind="way" label={t`How the paper lies`} value={paper.orientation} options={[["landscape", t`landscape`], ["portrait", t`portrait`]]} onChange={(way) => put({ orientation: way as Paper["orientation"] })} /> map of{" "}
          <Word kind="place" label={t`Answer on the map`} value={paper.answer} options={answers} onChange={(answer) => put({ answer, title: "" })} /> at{" "}
          <Committed label={t`Scale`} kind="amount" value={paper.scale === null ? "" : `1:${figure(paper.scale)}`} placeholder={t`a scale at which it fits`} onCommit={(text) => put({ scale: scaleOf(text) })} />, in{" "}
          <Word kind="way" label={t`Inks`} value={paper.colour} options={[["colour", t`colour`], ["grey", t`grey`]]} onChange={(colour) => put({ colour: colour as Paper["colour"] })} />,{" "}
          <Word kind="way" label={t`Legend`} value={yes(paper.legend)} options={[["yes", t`with legend`], ["no", t`without legend`]]} onChange={(on) => put({ legend: on === "yes" })} />,{" "}
          <Word kind="way" label={t`Method and doubts`} value={yes(paper.method)} options={[["yes", t`with method and doubts`], ["no", t`without method and doubts`]]} onChange={(on) => put({ method: on === "yes" })} />, called{" "}
          <Committed key={paper.answer} label={t`Title of the map`} kind="way" value={paper.title} placeholder={t`as the answer`} onCommit={(title) => put({ title })} />.
        </Trans>
      </p>
      <div className="downloads">
        <span><Trans>The sheet</Trans></span>
        <span>
          {FORMATS.map(([format, name]) => (
            <Fragment key={format}>
              <a href={addressOf(study, paper, format)} download={`${study}-map.${format}`}>{name}</a>{" "}
            </Fragment>
          ))}
        </span>
        <button className="linkish" onClick={() => layOut(null)}>
          <Trans>Put away</Trans>
        </button>
      </div>
    </>
  );
}
