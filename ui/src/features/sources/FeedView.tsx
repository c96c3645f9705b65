/** What a timetable holds: lines by kind, and when it runs. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { FeedSummary } from "../../api/studies";
import { figure, LOCALE } from "../../common/format";

export const dayWords = (day: string) => new Date(`${day}T12:00`).toLocaleDateString(LOCALE, { weekday: "short", day: "numeric", month: "long", year: "numeric" });

export function FeedView({ summary }: { summary: FeedSummary }) {
  return (
    <>
      <table className="plain">
        <thead>
          <tr>
            <th><Trans>Kind</Trans></th>
            <th className="n"><Trans>Routes</Trans></th>
            <th className="n"><Trans>Trips</Trans></th>
          </tr>
        </thead>
        <tbody>
          {summary.kinds.map(({ kind, routes, trips }) => (
            <tr key={kind}>
              <td>{kind}</td>
              <td className="n">{figure(routes)}</td>
              <td className="n">{figure(trips)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="notice">
        <Trans>
          {figure(summary.stops)} stops and {figure(summary.calls)} stop times. The first departure of a day is at {time(summary.first_departure_s)}, the last arrival at {time(summary.last_arrival_s)}; time zone {summary.timezone}.
        </Trans>
      </p>
      <ServiceCalendar summary={summary} />
    </>
  );
}

/** `25:40` of seconds of the service day. */
function time(seconds: number | null): string {
  if (seconds === null) return "–";
  return `${Math.floor(seconds / 3600)}:${String(Math.floor(seconds / 60) % 60).padStart(2, "0")}`;
}

const isoDay = (date: Date) => [date.getFullYear(), date.getMonth() + 1, date.getDate()].map((part) => String(part).padStart(2, "0")).join("-");

const CELL = 9;
const MOST_WEEKS = 44;
const KINDS: [string, string][] = [["weekday", t`weekday`], ["saturday", t`Saturday`], ["sunday", t`Sunday`]];

/** Trips on each day of the calendar: a column a week, Monday at the top; the darker, the more. */
function ServiceCalendar({ summary }: { summary: FeedSummary }) {
  const { first_day: first, trips_by_day: trips, typical_days: typical } = summary;
  const start = new Date(`${first}T12:00`);
  const before = (start.getDay() + 6) % 7;
  const most = Math.max(...trips, 1);
  const weeks = Math.min(Math.ceil((before + trips.length) / 7), MOST_WEEKS);
  const usual = KINDS.flatMap(([kind, words]) => (typical[kind] ? [t`a usual ${words} is ${dayWords(typical[kind])}`] : []));
  return (
    <figure className="service-calendar">
      <figcaption>
        <Trans>Trips a day from {dayWords(first)} to {dayWords(summary.last_day)}, a column a week from Monday down; {figure(most)} at most</Trans>
      </figcaption>
      <svg width={weeks * CELL} height={7 * CELL} role="img" aria-label={t`Trips on each day, a column a week`}>
        {trips.slice(0, weeks * 7 - before).map((count, i) => {
          const at = before + i;
          const day = isoDay(new Date(start.getFullYear(), start.getMonth(), start.getDate() + i));
          return (
            <rect
              key={day}
              x={Math.floor(at / 7) * CELL}
              y={(at % 7) * CELL}
              width={CELL - 1.5}
              height={CELL - 1.5}
              className={Object.values(typical).includes(day) ? "typical" : undefined}
              style={{ fill: count ? `color-mix(in srgb, var(--thread) ${Math.round(15 + (85 * count) / most)}%, var(--page))` : "var(--rule)" }}
            >
              <title>{t`${dayWords(day)}: ${figure(count)} trips`}</title>
            </rect>
          );
        })}
      </svg>
      {usual.length > 0 && <p className="hint"><Trans>Outlined: {usual.join("; ")}.</Trans></p>}
    </figure>
  );
}
