/** Faults of a timetable by kind; a kind opens to show where in the files they are, and those with a place are on the map. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Feature } from "geojson";
import { useMemo, useState } from "react";
import type { FeedSummary } from "../../api/studies";
import { figure } from "../../common/format";
import { useGoingThrough } from "../map/goingThrough";

const EXAMPLES = 20;
const gradeWord = (grade: string) => ({ error: t`error`, warning: t`warning`, note: t`note` })[grade] ?? grade;

/** The faults that have a place, as findings on the map. */
export function placesOfFaults({ faults, listed }: FeedSummary, code: string | null): Feature[] {
  const grades = Object.fromEntries(faults.map((fault) => [fault.code, fault.grade]));
  return listed
    .filter((fault) => fault.lon !== null && fault.lat !== null && (code === null || fault.code === code))
    .map(({ code: kind, text, lon, lat }) => ({ type: "Feature", properties: { kind, grade: grades[kind], text }, geometry: { type: "Point", coordinates: [lon as number, lat as number] } }));
}

export function FeedFaults({ summary, onMap = false }: { summary: FeedSummary; onMap?: boolean }) {
  const [open, setOpen] = useState<string | null>(null);
  if (summary.faults.length === 0) return <p className="notice"><Trans>Nothing in it contradicts itself.</Trans></p>;
  return (
    <>
      <table className="plain" aria-label={t`Faults of the timetable`}>
        <thead>
          <tr>
            <th><Trans>Fault</Trans></th>
            <th><Trans>Grade</Trans></th>
            <th className="n"><Trans>How many</Trans></th>
          </tr>
        </thead>
        <tbody>
          {summary.faults.map(({ code, title, grade, effect, count }) => (
            <tr key={code}>
              <td>
                <button className="linkish" aria-expanded={open === code} onClick={() => setOpen(open === code ? null : code)}>
                  {title}
                </button>
                <small className="under">{effect}</small>
                {open === code &&
                  summary.listed.filter((fault) => fault.code === code).slice(0, EXAMPLES).map(({ text, file, line }, i) => (
                    <small className="under" key={i}>{`${line ? t`${file}, line ${line}` : file}: ${text}`}</small>
                  ))}
              </td>
              <td>{gradeWord(grade)}</td>
              <td className="n">{figure(count)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {onMap && <OnTheMap key={open} summary={summary} code={open} />}
    </>
  );
}

/** One after another, by keys or buttons. */
function OnTheMap({ summary, code }: { summary: FeedSummary; code: string | null }) {
  const places = useMemo(() => placesOfFaults(summary, code), [summary, code]);
  const { at, go } = useGoingThrough(places);
  if (places.length === 0) return null;
  return (
    <div className="finding" role="status">
      {at >= 0 ? <p className="prose">{String(places[at]?.properties?.text)}</p> : <p className="faint"><Trans>Press J for the next fault on the map, K for the one before.</Trans></p>}
      <p>
        <button className="linkish" disabled={at <= 0} onClick={() => go(at - 1)}><Trans>Before</Trans></button>{" "}
        <button className="linkish" disabled={at >= places.length - 1} onClick={() => go(at + 1)}><Trans>Next</Trans></button>{" "}
        <span className="faint">{at < 0 ? t`${figure(places.length)} with a place` : t`${figure(at + 1)} of ${figure(places.length)}`}</span>
      </p>
    </div>
  );
}
