/** The editor of further measures of access: which, what places offer, and how they count less with time. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Checkbox, FormControlLabel } from "@mui/material";
import { isLayerSet, type Inputs } from "../api/inputs";
import type { Overview } from "../api/studies";
import { Committed, Word } from "./inline";

type Props = { overview: Overview; inputs: Inputs; words: Record<string, string>; put: (inputs: Inputs) => void };
const DECAYS: [string, string][] = [["", t`no decay`], ["exponential", t`exponential decay`], ["power", t`power decay`], ["gaussian", t`Gaussian decay`]];

export function MeasuresEditor({ overview, inputs, words, put }: Props) {
  const chosen = (inputs.measures as string[] | undefined) ?? [];
  const places = isLayerSet(inputs.places) ? inputs.places.layer : null;
  const fields = Object.entries(overview.layers.find(({ id }) => id === places)?.fields ?? {}).filter(([, type]) => type === "INTEGER" || type === "REAL");
  const toggle = (key: string, on: boolean) => put({ ...inputs, measures: Object.keys(words).filter((one) => (one === key ? on : chosen.includes(one))) });
  const number = (text: string, least: number, former: number) => (Number(text) >= least ? Number(text) : former);
  const [half, k] = [Number(inputs.half ?? 10), Number(inputs.k ?? 2)];
  return (
    <>
      {Object.entries(words).map(([key, label]) => (
        <FormControlLabel key={key} label={label} control={<Checkbox size="small" checked={chosen.includes(key)} onChange={(_, on) => toggle(key, on)} />} />
      ))}
      <p className="question">
        <Trans>
          A place offers{" "}
          <Word
            kind="amount"
            label={t`What a place offers`}
            value={String(inputs.weights ?? "")}
            options={[["", t`itself alone`], ...fields.map(([field]): [string, string] => [field, t`its ${field.replaceAll("_", " ")}`])]}
            onChange={(field) => put({ ...inputs, weights: field || null })}
          />
          , with <Word kind="way" label={t`Decay`} value={String(inputs.decay ?? "")} options={DECAYS} onChange={(decay) => put({ ...inputs, decay: decay || null })} />, one half at{" "}
          <Committed label={t`Minutes at which a place counts one half`} kind="amount" value={String(half)} onCommit={(text) => put({ ...inputs, half: number(text, 0.1, half) })} /> min; the nearest but{" "}
          <Committed label={t`Which nearest place, less one`} kind="amount" value={String(k - 1)} onCommit={(text) => put({ ...inputs, k: Math.round(number(text, 0, k - 1)) + 1 })} />.
        </Trans>
      </p>
      <p className="hint"><Trans>Potential decays exponentially where no decay is chosen; supply per head then counts all within the last limit alike.</Trans></p>
    </>
  );
}
