/** How often the lines of a timetable run: a row a line, a column an hour; a chosen hour is drawn on the map. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import type { Feature } from "geojson";
import { useEffect, useState } from "react";
import { layerFeatures } from "../../api/layers";
import type { FeedSummary, TimetableInfo } from "../../api/studies";
import { figure } from "../../common/format";
import { Word } from "../../controls/inline";
import { useScreen } from "../../state/screen";
import { kindWord } from "../streets/kinds";
import { dayWords } from "./FeedView";

const [NAME, CELL, ROW] = [72, 11, 15];
const MOST_ROWS = 40;
const kindsOfDay = (): [string, string][] => [["weekday", t`a weekday`], ["saturday", t`a Saturday`], ["sunday", t`a Sunday`]];

/** `every 7.5 min` of departures in an hour. */
export const headwayWords = (departures: number): string => (departures === 0 ? t`not at all` : t`every ${figure(60 / departures, 60 % departures === 0 ? 0 : 1)} min`);

/** The busiest lines with the hours in which any of them runs. */
export function grid({ lines = [], departures = {} }: FeedSummary, kind: string): { rows: { route_id: string; label: string; counts: number[] }[]; hours: number[] } {
  const counts = departures[kind] ?? [];
  const total = (row: number) => (counts[row] ?? []).reduce((sum, count) => sum + count, 0);
  const rows = lines
    .map((line, row) => ({ route_id: line.route_id, label: line.name.toLowerCase() === line.kind ? line.name : `${kindWord(line.kind)} ${line.name}`, counts: counts[row] ?? [], total: total(row) }))
    .filter((row) => row.total > 0)
    .sort((a, b) => b.total - a.total)
    .slice(0, MOST_ROWS);
  const running = Array.from({ length: Math.max(...rows.map((row) => row.counts.length), 0) }, (_, hour) => hour).filter((hour) => rows.some((row) => row.counts[hour]));
  const [first = 0, last = -1] = [running[0], running[running.length - 1]];
  return { rows, hours: Array.from({ length: last - first + 1 }, (_, i) => first + i) };
}

/** Without a study it is a timetable that waits, which the map does not show. */
export function Headways({ study, timetable: { id, added, summary } }: { study: string | null; timetable: Pick<TimetableInfo, "id" | "added" | "summary"> }) {
  const days = kindsOfDay().filter(([kind]) => summary.departures?.[kind]);
  const [kind, setKind] = useState(days[0]?.[0] ?? "weekday");
  const [hour, setHour] = useState<number | null>(null);
  const { showFrequencies } = useScreen("showFrequencies");
  const drawn = (part: string) => ({ queryKey: ["layer-features", study, `${id}_${part}`, added], queryFn: () => layerFeatures(study ?? "", `${id}_${part}`), enabled: study !== null && hour !== null, staleTime: Infinity });
  const { data: routes } = useQuery({ ...drawn("routes"), meta: { panel: "map", what: t`The lines of the timetable` } });
  const { data: stops } = useQuery({ ...drawn("stops"), meta: { panel: "map", what: t`The stops of the timetable` } });
  const words = hour === null ? "" : t`${hour % 24}:00 to ${(hour + 1) % 24}:00`;
  useEffect(() => {
    if (hour === null || !routes) return;
    const of = new Map((summary.lines ?? []).map(({ route_id }, row) => [route_id, summary.departures?.[kind]?.[row]?.[hour] ?? 0]));
    const lines = routes.features.map((line): Feature => ({ ...line, properties: { departures: of.get(String(line.properties?.route_id)) ?? 0 } }));
    showFrequencies({ lines, stops: stops?.features ?? [], words });
    return () => showFrequencies(null);
  }, [hour, routes, stops, kind, words, summary, showFrequencies]);
  if (days.length === 0) return null;
  const { rows, hours } = grid(summary, kind);
  const most = Math.max(...rows.flatMap(({ counts }) => counts), 1);
  const day = summary.typical_days[kind];
  return (
    <figure className="headways">
      <figcaption>
        <Trans>
          Departures an hour on <Word kind="time" label={t`Kind of day`} value={kind} options={days} onChange={setKind} />
          {day && <> ({dayWords(day)})</>}, one way; {figure(most)} at most.
        </Trans>{" "}
        {study && <Trans>Choose an hour to see it on the map.</Trans>}
      </figcaption>
      <svg width={NAME + hours.length * CELL + 4} height={(rows.length + 1) * ROW} role="group" aria-label={t`Departures of each line by hour`}>
        {hours.map((one, i) => (
          <g key={one} role="button" tabIndex={0} aria-pressed={one === hour} aria-label={t`${one % 24}:00 to ${(one + 1) % 24}:00`} className={one === hour ? "chosen" : undefined}
            onClick={() => setHour(one === hour ? null : one)} onKeyDown={(event) => (event.key === "Enter" || event.key === " ") && setHour(one === hour ? null : one)}>
            <rect x={NAME + i * CELL} y={0} width={CELL} height={(rows.length + 1) * ROW} className="column" />
            {one % 2 === 0 && <text x={NAME + i * CELL} y={11}>{one % 24}</text>}
            {rows.map(({ route_id, label, counts }, row) => (
              <rect key={route_id} x={NAME + i * CELL} y={(row + 1) * ROW} width={CELL - 1.5} height={ROW - 3} style={{ fill: counts[one] ? `color-mix(in srgb, var(--thread) ${Math.round(15 + (85 * counts[one]) / most)}%, var(--page))` : "var(--rule)" }}>
                <title>{t`${label}, ${one % 24}:00 to ${(one + 1) % 24}:00: ${headwayWords(counts[one] ?? 0)}`}</title>
              </rect>
            ))}
          </g>
        ))}
        {rows.map(({ route_id, label }, row) => <text key={route_id} x={0} y={(row + 1) * ROW + 10}>{label}</text>)}
      </svg>
      {hour !== null && (
        <p className="hint">
          {words}: {rows.map(({ label, counts }) => `${label} ${headwayWords(counts[hour] ?? 0)}`).slice(0, 6).join(", ")}{rows.length > 6 ? "…" : "."}
        </p>
      )}
      {summary.routes > rows.length && (
        <p className="hint">{rows.length === MOST_ROWS ? t`The ${figure(rows.length)} busiest of ${figure(summary.routes)} routes.` : t`Routes that do not run then: ${figure(summary.routes - rows.length)}.`}</p>
      )}
    </figure>
  );
}
