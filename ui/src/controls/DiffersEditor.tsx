/** The editor of what holds for some of the places instead: another mode, other limits, minutes added. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import { useState } from "react";
import { isLayerSet, type Differing } from "../api/inputs";
import type { Overview } from "../api/studies";
import { Amount, Text, Word } from "./inline";

type Props = { overview: Overview; value: Differing[]; put: (v: Differing[] | undefined) => void; layer: unknown };

export function DiffersEditor({ overview, value, put, layer }: Props) {
  const fields = isLayerSet(layer) ? Object.keys(overview.layers.find(({ id }) => id === layer.layer)?.fields ?? {}) : ["name"];
  const [rules, setRules] = useState<Differing[]>(value.length ? value : [{ where: "", mode: "drive" }]);
  const change = (row: number, part: Partial<Differing>) => setRules(rules.map((rule, i) => (i === row ? { ...rule, ...part } : rule)));
  const written = rules.every(({ where }) => where.trim());
  const modes: [string, string][] = [["", t`the same mode`], ...overview.modes.map(({ id, traveller }): [string, string] => [id, t`a ${traveller}`])];
  return (
    <>
      <ol className="rules">
        {rules.map((rule, i) => (
          <li key={i}>
            <Trans>
              Where <Text label={t`Which places, rule ${i + 1}`} value={rule.where} placeholder="kind = 'hall'" onChange={(where) => change(i, { where })} />, by{" "}
              <Word
                kind="mode"
                label={t`Mode, rule ${i + 1}`}
                value={rule.mode ?? ""}
                options={modes}
                onChange={(mode) => setRules(rules.map((one, j) => (j === i ? (mode ? { ...one, mode } : without(one)) : one)))}
              />
              , and{" "}
              <Amount label={t`Minutes added, rule ${i + 1}`} value={String(rule.add_minutes ?? 0)} onChange={(text) => change(i, { add_minutes: Number(text.replace(/[^0-9.]/g, "")) })} />{" "}
              min longer.{" "}
              <button className="linkish" onClick={() => (rules.length > 1 ? setRules(rules.filter((_, j) => j !== i)) : put(undefined))}>
                remove
              </button>
            </Trans>
          </li>
        ))}
      </ol>
      <div className="row">
        <Button size="small" disabled={!written} onClick={() => put(rules)}>
          <Trans>Take</Trans>
        </Button>
        <Button size="small" onClick={() => setRules([...rules, { where: "", mode: "drive" }])}>
          <Trans>Add a rule</Trans>
        </Button>
      </div>
      <p className="hint"><Trans>CQL2; the first rule a place meets holds. Fields: {fields.join(", ")}</Trans></p>
    </>
  );
}

function without({ where, at, limits, add_minutes }: Differing): Differing {
  return { where, ...(at ? { at } : {}), ...(limits ? { limits } : {}), ...(add_minutes ? { add_minutes } : {}) };
}
