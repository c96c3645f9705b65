/** Small curves side by side, each on an axis of its own: a band where there are several runs, and one cursor through all of them. */
import { t } from "@lingui/core/macro";
import { useState, type MouseEvent } from "react";
import type { components } from "../../api/schema";
import { clockOfDay, figure } from "../../common/format";
import { stepOf } from "../../common/moments";
import { useScreen } from "../../state/screen";

type Chart = components["schemas"]["Chart"];
const [WIDE, HIGH] = [150, 46];

/** The share of the way from the first to the last value of an axis. */
const shareOf = (x: number[], value: number) => (value - (x[0] ?? 0)) / Math.max((x[x.length - 1] ?? 1) - (x[0] ?? 0), 1e-9);

/** The points of a line, in pieces where values are missing. */
export function lineOf(x: number[], values: (number | null)[], most: number): string {
  let path = "";
  let open = false;
  for (const [i, value] of values.entries()) {
    if (value === null) {
      open = false;
      continue;
    }
    path += `${open ? "L" : "M"}${(shareOf(x, x[i] ?? 0) * WIDE).toFixed(1)} ${(HIGH - (value / most) * (HIGH - 2)).toFixed(1)}`;
    open = true;
  }
  return path;
}

/** The outline of a band. */
function bandOf(x: number[], low: (number | null)[], high: (number | null)[], most: number): string {
  const rows = x.flatMap((at, i) => (low[i] == null || high[i] == null ? [] : [[at, low[i], high[i]] as const]));
  const point = ([at, value]: readonly [number, number]) => `${(shareOf(x, at) * WIDE).toFixed(1)} ${(HIGH - (value / most) * (HIGH - 2)).toFixed(1)}`;
  const up = rows.map(([at, , top]) => point([at, top]));
  const down = rows.map(([at, bottom]) => point([at, bottom])).reverse();
  return rows.length ? `M${[...up, ...down].join("L")}Z` : "";
}

export function Several({ chart, named }: { chart: Chart; named: boolean }) {
  const { moment, row, selectRow } = useScreen("moment", "row", "selectRow");
  const [pointed, setPointed] = useState<number | null>(null);
  const x = (chart.x?.values ?? []) as number[];
  const clock = chart.x?.clock ?? false;
  const at = pointed ?? (clock ? moment : null);
  const told = (value: number) => (clock ? clockOfDay(value) : figure(value, Number.isInteger(value) ? 0 : 1));
  return (
    <>
      {named && <h3>{chart.title}</h3>}
      <p className="several-axis">
        {named ? "" : `${chart.title}, `}
        {t`from ${told(x[0] ?? 0)} to ${told(x[x.length - 1] ?? 0)}`}
        {at !== null && <b> {t`at ${told(at)}`}</b>}
      </p>
      <div className="several">
        {(chart.several ?? []).map((one) => (
          <Small key={one.title} chart={one} x={x} at={at} told={told} onPoint={setPointed} chosen={row === one.title} onChoose={clock ? () => selectRow(row === one.title ? null : one.title) : null} />
        ))}
      </div>
    </>
  );
}

type SmallProps = { chart: Chart; x: number[]; at: number | null; told: (value: number) => string; onPoint: (value: number | null) => void; chosen: boolean; onChoose: (() => void) | null };

function Small({ chart, x, at, told, onPoint, chosen, onChoose }: SmallProps) {
  const series = chart.series ?? [];
  const [lead, room] = series;
  const all = series.flatMap(({ values, high }) => [...values, ...(high ?? [])]).filter((value): value is number => value !== null);
  const most = Math.max(...all, 1e-9);
  const peak = Math.max(...(lead?.values ?? []).map((value) => value ?? 0));
  const read = (value: number | null | undefined) => (value == null ? "–" : figure(value, most < 20 && !Number.isInteger(value) ? 1 : 0));
  const value = read(lead?.values[at === null ? 0 : stepOf(x, at)]);
  const words = at === null && room ? t`${figure(peak)} at most` : at === null ? t`${value} to ${read(lead?.values[x.length - 1])}` : room ? t`${value} of ${figure(room.values[0])}` : value;
  const point = (event: MouseEvent<SVGSVGElement>) => {
    const { left, width } = event.currentTarget.getBoundingClientRect();
    const wanted = (x[0] ?? 0) + Math.min(Math.max((event.clientX - left) / Math.max(width, 1), 0), 1) * ((x[x.length - 1] ?? 0) - (x[0] ?? 0));
    onPoint(x.reduce((best, one) => (Math.abs(one - wanted) < Math.abs(best - wanted) ? one : best), x[0] ?? 0));
  };
  return (
    <figure className={chosen ? "small chosen" : "small"} onClick={onChoose ?? undefined}>
      <figcaption>
        <span title={chart.title}>{chart.title}</span> <b>{words}</b>
      </figcaption>
      <svg viewBox={`0 0 ${WIDE} ${HIGH}`} preserveAspectRatio="none" role="img" aria-label={at === null ? `${chart.title}: ${words}` : t`${chart.title}: ${words} at ${told(at)}`} onMouseMove={point} onMouseLeave={() => onPoint(null)}>
        <path d={`M0 ${HIGH - 0.5}H${WIDE}`} className="base" />
        {lead?.low && lead.high && <path d={bandOf(x, lead.low, lead.high, most)} className="band" />}
        {room && <path d={lineOf(x, room.values, most)} className="room" />}
        {lead && <path d={lineOf(x, lead.values, most)} className="lead" />}
        {at !== null && <path d={`M${(shareOf(x, at) * WIDE).toFixed(1)} 0V${HIGH}`} className="at" />}
      </svg>
    </figure>
  );
}
