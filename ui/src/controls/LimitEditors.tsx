/** The editors of limits: several as stops of a slider, or one that may be left out. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button, Slider, TextField } from "@mui/material";
import { useState } from "react";
import { Word } from "./inline";

/** `round`: the step between marks of the slider; `least`: its own step. */
const MINUTES = { unit: "minutes", most: 1440, round: 10, least: 1, example: "5, 10, 15" };
const METRES = { unit: "metres", most: 1_000_000, round: 500, least: 50, example: "400, 800, 1200" };

type LimitsProps = { value: number[]; put: (v: number[]) => void; metres: boolean; putMeasure: ((measure: string) => void) | null };

/** Limits as stops of a slider and as text; in minutes, or in metres where the question can count them. */
export function LimitsEditor({ value, put, metres, putMeasure }: LimitsProps) {
  const { unit, most, round, least, example } = metres ? METRES : MINUTES;
  const [stops, setStops] = useState(value);
  const [text, setText] = useState(value.join(", "));
  const [fault, setFault] = useState<string | null>(null);
  const top = Math.max(3 * round, Math.ceil((stops[stops.length - 1] ?? round) / round) * round + round);
  const commit = (next: number[]) => {
    const sorted = [...new Set(next)].sort((a, b) => a - b);
    setStops(sorted);
    setText(sorted.join(", "));
    setFault(null);
    put(sorted);
  };
  const write = () => {
    const parts = text.split(/[,;\s]+/).filter(Boolean).map(Number);
    if (parts.length === 0 || parts.length > 12) return setFault(t`Give 1 to 12 limits in ${unit}, for example ${example}.`);
    if (parts.some((part) => !(part > 0 && part <= most))) return setFault(t`Limits are ${unit} above 0 and at most ${most}.`);
    commit(parts);
  };
  const step = top > 6 * round ? 3 * round : round;
  return (
    <>
      <Slider
        value={stops}
        min={0}
        max={top}
        step={least}
        marks={Array.from({ length: Math.floor(top / step) + 1 }, (_, i) => ({ value: i * step, label: String(i * step) }))}
        getAriaLabel={(i) => t`Limit ${i + 1}, ${unit}`}
        valueLabelDisplay="auto"
        onChange={(_, next) => setStops(next.map((v) => Math.max(v, least)))}
        onChangeCommitted={(_, next) => commit(next.map((v) => Math.max(v, least)))}
      />
      <div className="row">
        <TextField
          size="small"
          value={text}
          error={fault !== null}
          slotProps={{ htmlInput: { "aria-label": t`Limits in ${unit}`, style: { width: 150 } } }}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && write()}
        />
        <Unit metres={metres} putMeasure={putMeasure} />
        <Button size="small" onClick={write}>
          <Trans>Take</Trans>
        </Button>
      </div>
      {fault ? <p className="problem">{fault}</p> : <p className="hint"><Trans>Drag a stop, or move it with the arrow keys.</Trans></p>}
    </>
  );
}

type LimitProps = { value: number | null; put: (v: number | null) => void; metres: boolean; putMeasure?: ((measure: string) => void) | null; needed?: boolean };

/** One limit, or none where it is not needed. */
export function LimitEditor({ value, put, metres, putMeasure, needed = false }: LimitProps) {
  const { unit, most, example } = metres ? METRES : MINUTES;
  const [text, setText] = useState(value === null ? "" : String(value));
  const number = Number(text);
  const valid = text !== "" && number > 0 && number <= most;
  return (
    <div className="row">
      <TextField
        size="small"
        value={text}
        placeholder={example.split(", ")[2]}
        error={text !== "" && !valid}
        slotProps={{ htmlInput: { "aria-label": t`Limit in ${unit}`, style: { width: 60 } } }}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && valid && put(number)}
      />
      <Unit metres={metres} putMeasure={putMeasure ?? null} />
      <Button size="small" disabled={!valid} onClick={() => put(number)}>
        <Trans>Take</Trans>
      </Button>
      {!needed && (
        <Button size="small" disabled={value === null} onClick={() => put(null)}>
          <Trans>Without limit</Trans>
        </Button>
      )}
    </div>
  );
}

/** What a limit counts: a word to change where the question can count both. */
function Unit({ metres, putMeasure }: { metres: boolean; putMeasure: ((measure: string) => void) | null }) {
  if (!putMeasure) return metres ? METRES.unit : MINUTES.unit;
  return <Word kind="amount" label={t`What limits count`} value={metres ? "distance" : "time"} options={[["time", t`minutes`], ["distance", t`metres`]]} onChange={putMeasure} />;
}
