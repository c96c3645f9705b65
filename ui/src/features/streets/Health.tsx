/** The health check: faults of the streets by kind, read one after another while the map goes to each. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import type { Feature } from "geojson";
import { useMemo, useState } from "react";
import { message } from "../../api/client";
import { checkStreets, findingsOf, type Checked, type Overview } from "../../api/studies";
import { figure } from "../../common/format";
import { Outcome } from "../../controls/Outcome";
import { Fixes } from "./Fixes";
import { useJob, Working } from "../../controls/Progress";
import { useGoingThrough } from "../map/goingThrough";

const GRADES = ["error", "warning", "note"] as const;

export function Health({ overview }: { overview: Overview }) {
  const { id, revision } = overview;
  const [wanted, setWanted] = useState(false);
  const [state, run] = useJob();
  const [problem, setProblem] = useState<string | null>(null);
  const { data, error } = useQuery({ queryKey: ["check", id, revision], queryFn: () => findingsOf(id), enabled: wanted, staleTime: Infinity, placeholderData: keepPreviousData, meta: { panel: "own" } });

  const check = async () => {
    setProblem(null);
    try {
      const ended = await run(await checkStreets(id));
      if (ended.status === "successful") setWanted(true);
      else setProblem(ended.problem?.detail ?? t`It was stopped.`);
    } catch (error) {
      setProblem(message(error));
    }
  };
  return (
    <>
      <h2>
        <Trans>Health check</Trans>
      </h2>
      {!data && (
        <>
          <p className="prose">
            <Trans>Gaps, crossings that are not joined, one-way streets without a way out, limits that cannot be: what may spoil an answer, found and shown.</Trans>
          </p>
          {state ? (
            <Working state={state} />
          ) : (
            <div className="block-tools">
              <Button size="small" onClick={() => void check()}>
                <Trans>Check the streets</Trans>
              </Button>
            </div>
          )}
        </>
      )}
      <Outcome said={data?.kinds.length === 0 ? t`No fault found.` : null} problem={problem ?? (error ? message(error) : null)} />
      {data && data.kinds.length > 0 && <Findings checked={data} overview={overview} />}
    </>
  );
}

function Findings({ checked, overview }: { checked: Checked; overview: Overview }) {
  const [kind, setKind] = useState<string | null>(null);
  const shown = useMemo(() => checked.findings.features.filter(({ properties }) => kind === null || properties?.kind === kind), [checked, kind]);
  const { at, go, leave } = useGoingThrough(shown);
  const finding = shown[at];

  const choose = (next: string | null) => {
    setKind(next);
    leave();
  };
  return (
    <>
      <Grades checked={checked} />
      <table className="plain" aria-label={t`Findings by kind`}>
        <tbody>
          {checked.kinds.map((one) => (
            <tr key={one.kind} className={kind === null || kind === one.kind ? undefined : "quiet"}>
              <td>
                <button className="linkish" aria-pressed={kind === one.kind} title={one.why} onClick={() => choose(kind === one.kind ? null : one.kind)}>
                  {one.title}
                </button>
              </td>
              <td className={one.grade}>{gradeWord(one.grade)}</td>
              <td className="n">{figure(one.count)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="finding" data-testid="finding" role="status">
        {finding ? <Reading finding={finding} why={checked.kinds.find((one) => one.kind === finding.properties?.kind)?.why ?? ""} /> : <p className="faint"><Trans>Press J for the next finding, K for the one before; the map goes along.</Trans></p>}
        {finding && <Fixes key={`${kind} ${at}`} finding={finding} kinds={checked.kinds} overview={overview} />}
        <p>
          <button className="linkish" disabled={at <= 0} onClick={() => go(at - 1)}>
            <Trans>Before</Trans>
          </button>{" "}
          <button className="linkish" disabled={at >= shown.length - 1} onClick={() => go(at + 1)}>
            <Trans>Next</Trans>
          </button>{" "}
          <span className="faint">{at < 0 ? plural(shown.length, { one: "# finding", other: "# findings" }) : t`${figure(at + 1)} of ${figure(shown.length)}`}</span>
        </p>
      </div>
      <Listed findings={shown} at={at} go={go} />
    </>
  );
}

/** So many findings are written out; more are gone through one by one, or kind by kind. */
const MOST_LISTED = 200;

/** The findings written out; a click goes to one. */
function Listed({ findings, at, go }: { findings: Feature[]; at: number; go: (next: number) => void }) {
  return (
    <details>
      <summary><Trans>All of them, one under another</Trans></summary>
      <ol className="listed" aria-label={t`Findings`}>
        {findings.slice(0, MOST_LISTED).map((finding, nth) => (
          <li key={String(finding.properties?.number)} className={nth === at ? "chosen" : undefined}>
            <button className="linkish" onClick={() => go(nth)}>{String(finding.properties?.text)}</button>
          </li>
        ))}
      </ol>
      {findings.length > MOST_LISTED && <p className="faint">{t`The first ${figure(MOST_LISTED)} of ${figure(findings.length)}; choose a kind above to see others.`}</p>}
    </details>
  );
}

function Reading({ finding, why }: { finding: Feature; why: string }) {
  return (
    <>
      <p className="prose">{String(finding.properties?.text)}</p>
      <p className="faint">{why}</p>
    </>
  );
}

/** How many of each grade, as a strip and in words. */
function Grades({ checked }: { checked: Checked }) {
  const total = checked.kinds.reduce((sum, { count }) => sum + count, 0);
  const counts = GRADES.map((grade) => checked.kinds.filter((one) => one.grade === grade).reduce((sum, { count }) => sum + count, 0));
  const [errors = 0, warnings = 0, notes = 0] = counts;
  return (
    <>
      <div className="grades" aria-hidden="true">
        {GRADES.map((grade, i) => (
          <i key={grade} className={grade} style={{ width: `${(100 * (counts[i] ?? 0)) / total}%` }} />
        ))}
      </div>
      <p className="faint">
        {[
          plural(errors, { one: "# error", other: "# errors" }),
          plural(warnings, { one: "# warning", other: "# warnings" }),
          plural(notes, { one: "# note", other: "# notes" }),
        ].join(", ")}
      </p>
    </>
  );
}

const gradeWord = (grade: (typeof GRADES)[number]) => ({ error: t`error`, warning: t`warning`, note: t`note` })[grade];
