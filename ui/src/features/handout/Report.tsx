/** The report: which blocks of the sheet are on it. It lies in the place of the map as the page it is. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Checkbox, FormControlLabel } from "@mui/material";
import { useEffect } from "react";
import type { Block } from "../../api/studies";
import { questionNames } from "../../state/blocks";
import { useReport } from "./useReport";
import { useSheet } from "../../state/sheet";
import { useScreen } from "../../state/screen";

/** So many letters of a heading or a line tell which it is. */
const TOLD = 40;

export function Report({ study }: { study: string }) {
  const { data: sheet } = useSheet(study);
  const { leftOut, report } = useScreen("leftOut", "report");
  const { address } = useReport(study, leftOut);
  useEffect(() => () => report(null), [report]);
  const blocks = sheet?.blocks ?? [];
  const names = questionNames(blocks);
  if (blocks.length === 0) return <p className="notice"><Trans>The sheet is empty.</Trans></p>;
  if (!leftOut) {
    return (
      <p className="prose">
        <button className="linkish" onClick={() => report([])}>
          <Trans>Look at the report</Trans>
        </button>{" "}
        <Trans>of this sheet: one page that opens anywhere, with figures, maps, charts, tables, assumptions and doubts.</Trans>
      </p>
    );
  }
  const toggle = (id: string) => report(leftOut.includes(id) ? leftOut.filter((one) => one !== id) : [...leftOut, id]);
  return (
    <>
      <div className="report-blocks" role="group" aria-label={t`What is in the report`}>
        {blocks.map((block) => (
          <FormControlLabel key={block.id} label={wordsOf(block, names)} control={<Checkbox size="small" checked={!leftOut.includes(block.id)} onChange={() => toggle(block.id)} />} />
        ))}
      </div>
      <div className="downloads">
        <span><Trans>The report</Trans></span>
        {address ? <a href={address} download={`${study}-report.html`}><Trans>HTML</Trans></a> : <span />}
        <button className="linkish" onClick={() => report(null)}><Trans>Put away</Trans></button>
      </div>
    </>
  );
}

function wordsOf(block: Block, names: Record<string, string>): string {
  if (block.kind === "question") return names[block.id] ?? block.process;
  return block.text.length > TOLD ? `${block.text.slice(0, TOLD)}…` : block.text;
}
