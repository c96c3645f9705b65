/** The editor of the further hours at which a question is answered. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button, TextField } from "@mui/material";
import { useState } from "react";
import { hoursOf } from "./words";

/** Hours that are answered at once. */
const MOST = 16;
/** A day from the first commuters to the last shops. */
const DAY = "6-21";

type Props = { value: number[]; day: string | null; put: (hours: number[] | undefined) => void };

export function HoursEditor({ value, day, put }: Props) {
  const [text, setText] = useState(value.length ? value.join(", ") : DAY);
  const [fault, setFault] = useState<string | null>(null);
  const take = () => {
    const hours = hoursOf(text, MOST);
    setFault(hours ? null : t`Give 1 to ${MOST} hours from 0 to 23, for example 7, 8, 17 or ${DAY}.`);
    if (hours) put(hours);
  };
  return (
    <>
      <div className="row">
        <Trans>
          <TextField
            size="small"
            value={text}
            error={fault !== null}
            slotProps={{ htmlInput: { "aria-label": t`Hours of the day`, style: { width: 150 } } }}
            onChange={(event) => setText(event.target.value)}
            onKeyDown={(event) => event.key === "Enter" && take()}
          />
          o'clock
          <Button size="small" onClick={take}>
            Take
          </Button>
          <Button size="small" onClick={() => put(undefined)}>
            No other hour
          </Button>
        </Trans>
      </div>
      {fault && <p className="problem">{fault}</p>}
      <p className="hint">{day ? t`Trips that begin at these hours of the same day, each at the speeds of its hour.` : t`Say first on which day: change 'in free flow'.`}</p>
    </>
  );
}
