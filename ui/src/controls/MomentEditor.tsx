/** The editor of a local date and time; none is free flow. */
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
