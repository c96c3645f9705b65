/** The editor of a number with its unit, within the bounds that the question states. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button, TextField } from "@mui/material";
import { useState } from "react";
import type { ControlProps } from "./control";

export function NumberEditor({ name, slot, process, value, put }: ControlProps) {
  const { minimum, exclusiveMinimum, maximum = Infinity } = process.inputs[name]?.schema ?? {};
  const [text, setText] = useState(value === null || value === undefined ? "" : String(value));
  const number = Number(text);
  const above = minimum === undefined ? number > (exclusiveMinimum ?? -Infinity) : number >= minimum;
  const valid = text.trim() !== "" && above && number <= maximum;
  return (
    <>
      <div className="row">
        <TextField
          size="small"
          value={text}
          error={!valid && text !== ""}
          slotProps={{ htmlInput: { "aria-label": slot.unit ?? slot.label, inputMode: "decimal", style: { width: 80 } } }}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && valid && put(number)}
        />
        {slot.unit}
        <Button size="small" disabled={!valid} onClick={() => put(number)}>
          <Trans>Take</Trans>
        </Button>
        {slot.nothing && (
          <Button size="small" onClick={() => put(undefined)}>
            {slot.nothing}
          </Button>
        )}
      </div>
      {!valid && text !== "" && <p className="problem">{minimum === undefined ? t`Give a number above ${exclusiveMinimum ?? 0} and at most ${maximum}.` : t`Give a number from ${minimum} to ${maximum}.`}</p>}
    </>
  );
}
