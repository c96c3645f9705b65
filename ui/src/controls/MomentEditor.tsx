/** The editor of a local date and time; none is free flow. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button, TextField } from "@mui/material";
import { useState } from "react";
import { momentOf } from "../common/moments";

type Props = { value: string | null; put: (v: string | null) => void };

export function MomentEditor({ value, put }: Props) {
  const [text, setText] = useState(value ?? momentOf("weekday", 8));
  return (
    <>
      <div className="row">
        <TextField
          size="small"
          type="datetime-local"
          value={text}
          slotProps={{ htmlInput: { "aria-label": t`Date and time` } }}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && text && put(text)}
        />
        <Button size="small" disabled={!text} onClick={() => put(text)}>
          <Trans>Take</Trans>
        </Button>
        <Button size="small" disabled={value === null} onClick={() => put(null)}>
          <Trans>In free flow</Trans>
        </Button>
      </div>
      <p className="hint"><Trans>Speeds, gates and turns of that hour hold for the whole trip. Local time.</Trans></p>
    </>
  );
}
