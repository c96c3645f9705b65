/** The editor of the what-ifs a question is asked with, in the order in which they stand on each other. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Checkbox, FormControlLabel } from "@mui/material";
import { go } from "../state/screen";
import type { ControlProps } from "./control";

export function WhatIfsEditor({ overview, value, put }: ControlProps) {
  const chosen = (value ?? []) as string[];
  const toggle = (id: string) => {
    const next = chosen.includes(id) ? chosen.filter((one) => one !== id) : [...chosen, id];
    put(next.length ? next : undefined);
  };
  if (overview.whatIfs.length === 0) {
    return (
      <p className="faint">
        <Trans>
          There is no what-if yet.{" "}
          <button className="linkish" onClick={() => go(overview.id, "streets")}>
            Make one
          </button>{" "}
          by editing streets.
        </Trans>
      </p>
    );
  }
  return (
    <>
      {overview.whatIfs.map(({ id, title }) => (
        <FormControlLabel
          key={id}
          label={chosen.length > 1 && chosen.includes(id) ? t`${title} (${chosen.indexOf(id) + 1})` : title}
          control={<Checkbox size="small" checked={chosen.includes(id)} onChange={() => toggle(id)} />}
        />
      ))}
    </>
  );
}
