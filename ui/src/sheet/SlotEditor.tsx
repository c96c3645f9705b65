/** The editor of one word. It opens in the flow under its sentence and hides neither figure nor map. */
import { Button, Checkbox, FormControlLabel, Radio, RadioGroup, TextField } from "@mui/material";
import { useState, type ReactNode } from "react";
import type { Overview, Slot } from "../api/own";
import { useSheetActions, type QuestionBlock } from "../state/sheet";
import { AgainstEditor } from "./AgainstEditor";
import { ChainEditor } from "./ChainEditor";
import { DiffersEditor } from "./DiffersEditor";
import { HoursEditor } from "./HoursEditor";
import { LimitEditor, LimitsEditor } from "./LimitEditors";
import { MeasuresEditor } from "./MeasuresEditor";
import { PlaceEditor } from "./PlaceEditor";
import { isLayerSet, measureWord, type Against, type Differing, type LayerSet } from "./words";

type Props = { block: QuestionBlock; name: string; slot: Slot; overview: Overview };

export function SlotEditor(props: Props) {
  const { block, name, slot, overview } = props;
  const { change } = useSheetActions(overview.id);
  const value = block.inputs[name] === undefined ? slot.default : block.inputs[name];
  const put = (next: unknown) => {
    const inputs = { ...block.inputs, [name]: next };
    if (next === undefined) delete inputs[name];
    // In free flow all hours are alike.
    if (name === "at" && next === null) delete inputs.hours;
    void change(block, inputs);
  };
  let body: ReactNode;
  if (name === "measure" && block.process === "route") body = <Measures value={value} put={put} slot={slot} overview={overview} mode={String(block.inputs.mode ?? "walk")} />;
  else if (name === "hours") body = <HoursEditor value={(value ?? []) as number[]} day={(block.inputs.at as string | null | undefined) ?? null} put={put} />;
  else if (name === "at") body = <MomentEditor value={value as string | null} put={put} />;
  else if (name === "indices") body = <Ticks options={Object.entries(slot.words ?? {})} chosen={value as string[]} put={put} />;
  else if (slot.words) body = <Choice value={String(value)} words={slot.words} label={slot.label} put={put} />;
  else if (slot.many) body = <ChainEditor overview={overview} value={value as LayerSet[]} put={put} />;
  else if (slot.kind === "place") body = <PlaceEditor {...props} value={value} put={put} />;
  else if (name === "differs") body = <DiffersEditor overview={overview} value={value as Differing[]} put={put} layer={block.inputs.places} />;
  else if (name === "measures") body = <MeasuresEditor overview={overview} inputs={block.inputs} put={(inputs) => void change(block, inputs)} />;
  else if (name === "against") body = <AgainstEditor block={block} overview={overview} value={value as Against | null} put={put} />;
  else if (name === "kind") body = <OneField {...KIND} overview={overview} value={value as string | null} put={put} layer={block.inputs.others} />;
  else if (name === "weight") body = <OneField {...WEIGHT} overview={overview} value={value as string | null} put={put} layer={block.inputs.places} />;
  else if (name === "radius") {
    const unit = (measure: string) => void change(block, { ...block.inputs, measure, radius: measure === "distance" ? 600 : 10 });
    body = <LimitEditor key={String(block.inputs.measure)} value={value as number} put={put} metres={block.inputs.measure !== "time"} putMeasure={unit} needed />;
  }
  else if (name in NUMBERS) body = <NumberEditor name={name} value={value as number} put={put} />;
  else if (name === "fields") body = <FieldEditor {...props} value={value as string[]} put={put} />;
  else if (name === "limits") {
    const unit = COUNTED.includes(block.process) ? (measure: string) => void change(block, { ...block.inputs, measure, limits: measure === "distance" ? [400, 800, 1200] : [5, 10, 15] }) : null;
    body = <LimitsEditor key={String(block.inputs.measure)} value={value as number[]} put={put} metres={block.inputs.measure === "distance"} putMeasure={unit} />;
  } else body = <LimitEditor value={value as number | null} put={put} metres={block.inputs.measure === "distance"} />;
  // The editor is seen whole, above what stands at the foot of the page.
  return (
    <div className="editor" role="group" aria-label={slot.label} ref={seen}>
      {body}
    </div>
  );
}

const seen = (element: HTMLElement | null) => element?.scrollIntoView?.({ block: "nearest" });

/** A local date and time; none is free flow. */
function MomentEditor({ value, put }: { value: string | null; put: (v: string | null) => void }) {
  const [text, setText] = useState(value ?? "2026-06-03T08:00");
  return (
    <>
      <div className="row">
        <TextField
          size="small"
          type="datetime-local"
          value={text}
          slotProps={{ htmlInput: { "aria-label": "Date and time" } }}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && text && put(text)}
        />
        <Button size="small" disabled={!text} onClick={() => put(text)}>
          Take
        </Button>
        <Button size="small" disabled={value === null} onClick={() => put(null)}>
          In free flow
        </Button>
      </div>
      <p className="hint">Speeds, gates and turns of that hour hold for the whole trip. Local time.</p>
    </>
  );
}

function Choice({ value, words, label, put }: { value: string; words: Record<string, string>; label: string; put: (v: string) => void }) {
  return (
    <RadioGroup row aria-label={label} value={value} onChange={(event) => put(event.target.value)}>
      {Object.entries(words).map(([key, text]) => (
        <FormControlLabel key={key} value={key} label={text} control={<Radio size="small" />} />
      ))}
    </RadioGroup>
  );
}

function Measures({ value, put, slot, overview, mode }: { value: unknown; put: (v: unknown) => void; slot: Slot; overview: Overview; mode: string }) {
  const chosen = Array.isArray(value) ? (value as string[]) : [String(value)];
  // A drawing has no speeds, and its length is the given weight itself.
  const usual = Object.entries(slot.words ?? {}).filter(([key]) => !overview.drawn || key === "distance");
  const own = overview.modes.find(({ id }) => id === mode)?.document.costs.map(({ id }) => id) ?? [];
  return <Ticks options={[...usual, ...[...overview.costs, ...own].map((cost): [string, string] => [cost, measureWord(cost, slot)])]} chosen={chosen} put={put} />;
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

/** Limits on a ruler: stops are moved by mouse or arrow keys, or written as numbers. */
/** Numeric fields of the zones; none ticked means all. */
function FieldEditor({ block, overview, value, put }: Props & { value: string[]; put: (v: string[]) => void }) {
  const zones = isLayerSet(block.inputs.zones) ? block.inputs.zones.layer : null;
  const layer = overview.layers.find(({ id }) => id === zones);
  const numeric = Object.entries(layer?.fields ?? {}).filter(([, type]) => type === "INTEGER" || type === "REAL");
  if (numeric.length === 0) return <p className="notice">The zones have no field with numbers.</p>;
  return (
    <>
      {numeric.map(([field]) => (
        <FormControlLabel
          key={field}
          label={field.replaceAll("_", " ")}
          control={
            <Checkbox
              size="small"
              checked={value.includes(field)}
              onChange={(_, on) => put(on ? [...value, field] : value.filter((f) => f !== field))}
            />
          }
        />
      ))}
      <p className="hint">The first one heads the answer. Select none to use all.</p>
    </>
  );
}

/** Questions whose limits count minutes or metres. */
const COUNTED = ["isochrone", "neighbours"];

const NUMBERS: Record<string, { unit: string; least: number; most: number }> = {
  distance: { unit: "m along the streets", least: 1, most: 1_000_000 },
  width: { unit: "m to either side of the street", least: 1, most: 1000 },
  most: { unit: "trips", least: 1, most: 200_000 },
  snap: { unit: "m at most between a place and a usable street", least: 1, most: 5000 },
  choose: { unit: "of the candidates", least: 1, most: 20 },
};

/** A number with its unit. */
function NumberEditor({ name, value, put }: { name: string; value: number; put: (v: number) => void }) {
  const { unit, least, most } = NUMBERS[name] ?? { unit: "", least: 0, most: Infinity };
  const [text, setText] = useState(String(value));
  const valid = text.trim() !== "" && Number(text) >= least && Number(text) <= most;
  return (
    <>
      <div className="row">
        <TextField
          size="small"
          value={text}
          error={!valid}
          slotProps={{ htmlInput: { "aria-label": unit, inputMode: "decimal", style: { width: 80 } } }}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && valid && put(Number(text))}
        />
        {unit}
        <Button size="small" disabled={!valid} onClick={() => put(Number(text))}>
          Take
        </Button>
      </div>
      {!valid && <p className="problem">{`Give a number from ${least} to ${most}.`}</p>}
    </>
  );
}

const KIND = { types: ["TEXT"], label: "Field that says the kind", none: "all as one", verb: "by" };
const WEIGHT = { types: ["INTEGER", "REAL"], label: "Field that says what each counts for", none: "all alike", verb: "by its" };

type OneFieldProps = typeof KIND & { overview: Overview; value: string | null; put: (v: string | null) => void; layer: unknown };

/** One field of a layer, or none. */
function OneField({ types, label, none, verb, overview, value, put, layer }: OneFieldProps) {
  const known = isLayerSet(layer) ? overview.layers.find(({ id }) => id === layer.layer) : undefined;
  const fields = Object.entries(known?.fields ?? {}).filter(([, type]) => types.includes(type)).map(([field]) => field);
  return (
    <RadioGroup row aria-label={label} value={value ?? ""} onChange={(event) => put(event.target.value || null)}>
      <FormControlLabel value="" label={none} control={<Radio size="small" />} />
      {fields.map((field) => (
        <FormControlLabel key={field} value={field} label={`${verb} ${field.replaceAll("_", " ")}`} control={<Radio size="small" />} />
      ))}
    </RadioGroup>
  );
}
