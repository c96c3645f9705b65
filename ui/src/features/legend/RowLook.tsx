/** The look of one row of the legend: its label, its colour, and how wide its lines are. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Looks, RowLook } from "../../api/studies";
import { Committed } from "../../controls/inline";
import type { LegendRow } from "../../map/content";
import { rowColour } from "../../map/view";
import { replaced } from "../../state/blocks";
import { useSheet, useSheetActions, type QuestionBlock } from "../../state/sheet";
import { useScreen } from "../../state/screen";

/** Looks of the selected question's rows, and how to change one; null where there is no question. */
export function useLooks(study: string): { looks: Looks; put: (id: string, look: RowLook | null) => void } | null {
  const { stage, question } = useScreen("stage", "question");
  const { data: sheet } = useSheet(study);
  const { save } = useSheetActions(study);
  const block = sheet?.blocks.find((one): one is QuestionBlock => one.kind === "question" && one.id === question);
  if (stage !== "sheet" || !block) return null;
  const looks = block.look ?? {};
  const put = (id: string, look: RowLook | null) => {
    const rest = Object.fromEntries(Object.entries(looks).filter(([key]) => key !== id));
    const { look: former, ...bare } = block;
    void former;
    const next = look ? { ...rest, [id]: look } : rest;
    void save((whole) => ({ blocks: replaced(whole.blocks, Object.keys(next).length ? { ...bare, look: next } : bare) }));
  };
  return { looks, put };
}

/** Take a value once it is chosen, not at every step on the way: each change is kept and can be undone. */
const committed = (take: (value: string) => void) => (field: HTMLInputElement | null) => {
  if (field) field.onchange = () => take(field.value);
};

type Props = { row: LegendRow; look: RowLook | undefined; put: (look: RowLook | null) => void };

export function RowLookEditor({ row, look, put }: Props) {
  const colour = look?.colour ?? rowColour(row);
  const change = (part: RowLook) => put({ ...look, ...part });
  const wide = row.swatch.kind === "line" || row.swatch.kind === "dash";
  return (
    <div className="row-look-editor" role="group" aria-label={t`Look of ${row.label}`}>
      <Committed label={t`Label of ${row.label}`} kind="name" value={row.label} onCommit={(label) => label && change({ label })} />
      {colour && (
        <label>
          <Trans>Colour <input type="color" key={colour} defaultValue={colour} ref={committed((value) => change({ colour: value }))} /></Trans>
        </label>
      )}
      {wide && (
        <label>
          <Trans>Width <input type="range" min={0.4} max={2.5} step={0.1} defaultValue={look?.width ?? 1} ref={committed((value) => change({ width: Number(value) }))} /></Trans>
        </label>
      )}
      {look && (
        <button className="linkish" onClick={() => put(null)}>
          <Trans>As it was</Trans>
        </button>
      )}
    </div>
  );
}
