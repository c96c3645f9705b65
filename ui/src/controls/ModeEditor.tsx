/** The editor of the mode. One that rides needs a timetable and an hour. */
import { Trans } from "@lingui/react/macro";
import { FormControlLabel, Radio, RadioGroup } from "@mui/material";
import type { ControlProps } from "./control";
import { rides, usualMorning } from "./riding";

export function ModeEditor({ value, slot, put, putAll, block, name, overview }: ControlProps) {
  const lacking = overview.timetables.length === 0;
  const ridesBy = (mode: string) => rides(overview.modes, { mode });
  const choose = (mode: string) => {
    if (ridesBy(mode) && !block.inputs.at) putAll({ ...block.inputs, [name]: mode, at: usualMorning(overview) });
    else put(mode);
  };
  return (
    <>
      <RadioGroup row aria-label={slot.label} value={String(value)} onChange={(event) => choose(event.target.value)}>
        {Object.entries(slot.words ?? {}).map(([key, text]) => (
          <FormControlLabel key={key} value={key} label={text} disabled={lacking && ridesBy(key)} control={<Radio size="small" />} />
        ))}
      </RadioGroup>
      {lacking && <p className="hint"><Trans>Public transport needs a timetable: bring in a GTFS feed in stage Sources.</Trans></p>}
    </>
  );
}
