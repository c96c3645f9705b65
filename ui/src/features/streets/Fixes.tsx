/** The ways to mend a finding: one finding, or all of its kind, seen on the map before they are done. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import type { Feature } from "geojson";
import { useCallback, useEffect, useState } from "react";
import { mend, planMending, type Plan } from "../../api/edits";
import { message } from "../../api/client";
import type { FindingKind, Overview } from "../../api/studies";
import { figure } from "../../common/format";
import { useEditing } from "../../state/editing";
import { useScreen } from "../../state/screen";

type Wanted = { fix: string; numbers: number[] | null; plan: Plan };

export function Fixes({ finding, kinds, overview }: { finding: Feature; kinds: FindingKind[]; overview: Overview }) {
  const { scope, showGhosts, tell } = useScreen("scope", "showGhosts", "tell");
  const { act } = useEditing(overview);
  const [wanted, setWanted] = useState<Wanted | null>(null);
  const kind = String(finding.properties?.kind);
  const number = Number(finding.properties?.number);
  const fixes = (finding.properties?.fixes ?? []) as string[];
  const count = kinds.find((one) => one.kind === kind)?.count ?? 1;
  const [first] = fixes;

  const look = useCallback(
    (fix: string, numbers: number[] | null) =>
      void planMending(overview.id, { kind, fix, numbers }).then(
        (plan) => {
          setWanted({ fix, numbers, plan });
          showGhosts(plan.lines);
        },
        (error: unknown) => tell(message(error)),
      ),
    [overview.id, kind, showGhosts, tell],
  );
  const leave = useCallback(() => {
    setWanted(null);
    showGhosts(null);
  }, [showGhosts]);
  const mendThem = useCallback(
    ({ fix, numbers }: Pick<Wanted, "fix" | "numbers">) => {
      leave();
      void act(mend(overview.id, scope, { kind, fix, numbers }), ({ findings }) => plural(findings, { one: "# finding mended.", other: "# findings mended." }));
    },
    [act, leave, overview.id, scope, kind],
  );
  useEffect(() => () => showGhosts(null), [showGhosts]);
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const busy = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT|BUTTON|A)$/.test(event.target.tagName);
      if (busy || event.key !== "Enter" || !(wanted ?? first)) return;
      event.stopImmediatePropagation();
      if (wanted) mendThem(wanted);
      else if (first) look(first, [number]);
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [wanted, first, number, look, mendThem]);

  if (!first) return <p className="faint"><Trans>Only somebody who knows the place can tell what is right here: edit the streets below.</Trans></p>;
  if (wanted) {
    const { findings, unmended } = wanted.plan;
    return (
      <div className="block-tools" role="group" aria-label={t`What would change`}>
        <span>
          {unmended > 0
            ? t`${figure(findings)} of ${figure(findings + unmended)} findings would be mended so.`
            : plural(findings, { one: "# finding would be mended so.", other: "# findings would be mended so." })}
        </span>
        <Button size="small" variant="contained" onClick={() => mendThem(wanted)}>{wanted.fix}</Button>
        <Button size="small" onClick={leave}><Trans>Leave it</Trans></Button>
      </div>
    );
  }
  return (
    <div className="block-tools" role="group" aria-label={t`Ways to mend it`}>
      {fixes.map((fix) => (
        <Button key={fix} size="small" onClick={() => look(fix, [number])}>{fix}</Button>
      ))}
      {count > 1 && <Button size="small" onClick={() => look(first, null)}>{t`${first}: all ${figure(count)}`}</Button>}
    </div>
  );
}
