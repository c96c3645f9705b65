/** The rules of a mode, the first that fits decides: each is a sentence with a condition and what holds for the streets that meet it. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { ModeDocument, RuleDocument, RuleUse } from "../../api/modes";
import { figure } from "../../common/format";
import { Committed, Word } from "../../controls/inline";

const USES: [RuleUse, string][] = [
  ["forbid", t`forbidden`],
  ["ends", t`open at trip ends only`],
  ["allow", t`allowed`],
  ["slow", t`slower`],
];

type Props = { mode: ModeDocument; km: number[]; put: (rules: RuleDocument[]) => void };

export function ModeRules({ mode, km, put }: Props) {
  const { rules } = mode;
  const change = (i: number, more: Partial<RuleDocument>) => put(rules.map((rule, j) => (i === j ? { ...rule, ...more } : rule)));
  const swap = (i: number) => put(rules.map((rule, j) => (j === i - 1 ? (rules[i] ?? rule) : j === i ? (rules[i - 1] ?? rule) : rule)));
  const where = (rule: RuleDocument, i: number) => <Committed label={t`Condition of rule ${i + 1}`} value={rule.where} onCommit={(text) => change(i, { where: text })} />;
  const use = (rule: RuleDocument, i: number) => (
    <Word kind="way" label={t`Use of rule ${i + 1}`} value={rule.use} options={USES} onChange={(chosen) => change(i, { use: chosen as RuleUse, factor: chosen === "slow" ? 0.5 : 1 })} />
  );
  return (
    <>
      <h2><Trans>Rules, the first that fits</Trans></h2>
      <ol className="rules">
        {rules.map((rule, i) => (
          <li key={`${i} ${rule.where}`}>
            {rule.use === "slow" ? (
              <Trans>
                Streets where {where(rule, i)} are {use(rule, i)}, at{" "}
                <Committed label={t`Share of speed of rule ${i + 1} in percent`} kind="amount" value={String(Math.round(rule.factor * 100))} onCommit={(text) => change(i, { factor: Number(text) / 100 })} /> % of their
                speed.
              </Trans>
            ) : (
              <Trans>
                Streets where {where(rule, i)} are {use(rule, i)}.
              </Trans>
            )}
            <small className="under">
              <Trans>{figure(km[i] ?? 0, 1)} km meet it</Trans>{" "}
              {i > 0 && (
                <button className="linkish" onClick={() => swap(i)}>
                  <Trans>earlier</Trans>
                </button>
              )}{" "}
              <button className="linkish" aria-label={t`Remove rule ${i + 1}`} onClick={() => put(rules.filter((_, j) => j !== i))}>
                <Trans>remove</Trans>
              </button>
            </small>
          </li>
        ))}
      </ol>
      {rules.length === 0 && <p className="notice"><Trans>No rule yet: class, access tags and barriers decide.</Trans></p>}
      <NewRule add={(rule) => put([...rules, rule])} />
    </>
  );
}

function NewRule({ add }: { add: (rule: RuleDocument) => void }) {
  const [where, setWhere] = useState("");
  const [use, setUse] = useState<RuleUse>("forbid");
  return (
    <form
      className="row-form"
      onSubmit={(event) => {
        event.preventDefault();
        if (where.trim()) add({ where: where.trim(), use, factor: use === "slow" ? 0.5 : 1 });
        setWhere("");
      }}
    >
      <Trans>
        Streets where{" "}
        <input className="slot way text" aria-label={t`Condition of a new rule`} placeholder="width < 3" spellCheck={false} size={Math.max(where.length, 10)} value={where} onChange={(event) => setWhere(event.target.value)} />{" "}
        are <Word kind="way" label={t`Use of a new rule`} value={use} options={USES} onChange={(value) => setUse(value as RuleUse)} />
        <button className="linkish" disabled={!where.trim()}>
          Add the rule
        </button>
      </Trans>
    </form>
  );
}
