/** A blank of a form: what it is called, what helps with it, what may be filled in. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Checkbox, FormControlLabel } from "@mui/material";
import type { Slot } from "../../api/inputs";
import type { Blank, Overview } from "../../api/studies";
import { Committed } from "../../controls/inline";
import { isNumber, toggled } from "./forms";

type Props = { overview: Overview; name: string; blank: Blank | undefined; slot: Slot | undefined; onChange: (blank: Blank) => void; onRemove: () => void };

export function BlankRow({ overview, name, blank, slot, onChange, onRemove }: Props) {
  if (!blank || !slot) {
    return (
      <p className="problem">
        <Trans>The word that '{name}' asked for is gone.</Trans> <button className="linkish" onClick={onRemove}><Trans>Ask for it no longer</Trans></button>
      </p>
    );
  }
  const bound = (text: string) => (text.trim() === "" || !Number.isFinite(Number(text)) ? null : Number(text));
  const set = (change: { least?: number | null; most?: number | null }) => {
    const { least, most, ...rest } = { ...blank, ...change };
    onChange({ ...rest, ...(least === null || least === undefined ? {} : { least }), ...(most === null || most === undefined ? {} : { most }) });
  };
  const choices = choicesOf(slot, overview);
  const chosen = blank.options ?? choices.map(([value]) => value);
  const choose = (value: string) => {
    const options = toggled(chosen, value);
    const free = { ...blank };
    delete free.options;
    if (options.length) onChange(options.length === choices.length ? free : { ...free, options });
  };
  return (
    <div className="blank-row">
      <p>
        <Committed label={t`Label of ${blank.name}`} kind={slot.kind} value={blank.label} placeholder={slot.label} onCommit={(label) => onChange({ ...blank, label })} />{" "}
        {isNumber(slot) && (
          <Trans>
            from <Committed label={t`Least of ${blank.name}`} kind="amount" value={String(blank.least ?? "")} placeholder={t`any`} onCommit={(text) => set({ least: bound(text) })} /> to{" "}
            <Committed label={t`Most of ${blank.name}`} kind="amount" value={String(blank.most ?? "")} placeholder={t`any`} onCommit={(text) => set({ most: bound(text) })} />
          </Trans>
        )}
      </p>
      <Committed label={t`Help for ${blank.name}`} kind="way" value={blank.help} placeholder={t`What to know when filling it in`} onCommit={(help) => onChange({ ...blank, help })} />
      <div className="tick-row">
        <FormControlLabel label={t`begins empty`} control={<Checkbox size="small" checked={blank.empty} onChange={() => onChange({ ...blank, empty: !blank.empty })} />} />
        {slot.control === "place" && <FormControlLabel label={t`several points`} control={<Checkbox size="small" checked={blank.several} onChange={() => onChange({ ...blank, several: !blank.several })} />} />}
        {choices.map(([value, words]) => (
          <FormControlLabel key={value} label={words} control={<Checkbox size="small" checked={chosen.includes(value)} onChange={() => choose(value)} />} />
        ))}
      </div>
    </div>
  );
}

/** What may be chosen for a word, with words for it; nothing where anything may be written. */
function choicesOf({ control, words }: Slot, { whatIfs }: Overview): [string, string][] {
  if (control === "what-ifs") return whatIfs.map(({ id, title }): [string, string] => [id, title]);
  return ["mode", "choice", "several", "measures", "costs"].includes(control) ? Object.entries(words ?? {}) : [];
}
