/** The editors of words that are chosen among some: one, several, or costs to minimise. */
import { Checkbox, FormControlLabel, Radio, RadioGroup } from "@mui/material";
import type { ControlProps } from "./control";
import { costWord } from "./words";

export function ChoiceEditor({ value, slot, put }: ControlProps) {
  return (
    <RadioGroup row aria-label={slot.label} value={String(value)} onChange={(event) => put(event.target.value)}>
      {Object.entries(slot.words ?? {}).map(([key, text]) => (
        <FormControlLabel key={key} value={key} label={text} control={<Radio size="small" />} />
      ))}
    </RadioGroup>
  );
}

export const SeveralEditor = ({ slot, value, put }: ControlProps) => <Ticks options={Object.entries(slot.words ?? {})} chosen={(value ?? []) as string[]} put={put} />;

/** What can be least: time, distance, costs of the streets and of the mode. */
export function CostsEditor({ value, put, slot, overview, block }: ControlProps) {
  const chosen = Array.isArray(value) ? (value as string[]) : [String(value)];
  // A drawing has no speeds, and its length is the given weight itself.
  const usual = Object.entries(slot.words ?? {}).filter(([key]) => !overview.drawn || key === "distance");
  const own = overview.modes.find(({ id }) => id === (block.inputs.mode ?? "walk"))?.document.costs.map(({ id }) => id) ?? [];
  return <Ticks options={[...usual, ...[...overview.costs, ...own].map((cost): [string, string] => [cost, costWord(cost, slot)])]} chosen={chosen} put={put} />;
}

/** Several of some words, one at least, in the order in which they were ticked. */
function Ticks({ options, chosen, put }: { options: [string, string][]; chosen: string[]; put: (v: string[]) => void }) {
  const toggle = (key: string) => {
    const next = chosen.includes(key) ? chosen.filter((k) => k !== key) : [...chosen, key];
    if (next.length) put(next);
  };
  return options.map(([key, text]) => (
    <FormControlLabel key={key} label={text} control={<Checkbox size="small" checked={chosen.includes(key)} onChange={() => toggle(key)} />} />
  ));
}
