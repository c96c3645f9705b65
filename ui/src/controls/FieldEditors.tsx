/** The editors of fields of a layer: one or none, or several numeric ones. */
import { Trans } from "@lingui/react/macro";
import { Checkbox, FormControlLabel, Radio, RadioGroup } from "@mui/material";
import { isLayerSet, type Inputs, type Slot } from "../api/inputs";
import type { Overview } from "../api/studies";
import { words } from "../common/format";
import type { ControlProps } from "./control";

const TYPES = { text: ["TEXT"], number: ["INTEGER", "REAL"] };

/** Names of the fields a word can stand for: those of the layer of another input. */
export function fieldsOf({ of, field_type: type }: Slot, inputs: Inputs, overview: Overview): string[] {
  const chosen = inputs[of ?? ""];
  const layer = isLayerSet(chosen) ? overview.layers.find(({ id }) => id === chosen.layer) : undefined;
  return Object.entries(layer?.fields ?? {})
    .filter(([, kind]) => !type || TYPES[type].includes(kind))
    .map(([field]) => field);
}

export function FieldEditor({ slot, block, overview, value, put }: ControlProps) {
  return (
    <RadioGroup row aria-label={slot.label} value={value ?? ""} onChange={(event) => put(event.target.value || null)}>
      <FormControlLabel value="" label={slot.nothing} control={<Radio size="small" />} />
      {fieldsOf(slot, block.inputs, overview).map((field) => (
        <FormControlLabel key={field} value={field} label={(slot.text ?? "{}").replace("{}", words(field))} control={<Radio size="small" />} />
      ))}
    </RadioGroup>
  );
}

/** None ticked means all. */
export function FieldsEditor({ slot, block, overview, value, put }: ControlProps) {
  const chosen = (value ?? []) as string[];
  const fields = fieldsOf(slot, block.inputs, overview);
  if (fields.length === 0) return <p className="notice"><Trans>The zones have no field with numbers.</Trans></p>;
  return (
    <>
      {fields.map((field) => (
        <FormControlLabel
          key={field}
          label={words(field)}
          control={<Checkbox size="small" checked={chosen.includes(field)} onChange={(_, on) => put(on ? [...chosen, field] : chosen.filter((one) => one !== field))} />}
        />
      ))}
      <p className="hint"><Trans>The first one heads the answer. Select none to use all.</Trans></p>
    </>
  );
}
