/** The chart of an answer: curves by minute, bars, or a route's directions. Lines differ by dash, not by colour alone. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { BarChart } from "@mui/x-charts/BarChart";
import { ChartsReferenceLine } from "@mui/x-charts/ChartsReferenceLine";
import { LineChart } from "@mui/x-charts/LineChart";
import { Slider } from "@mui/material";
import { useState } from "react";
import type { Results } from "../../api/client";
import type { components } from "../../api/schema";
import { clockOfDay, distance, duration, figure } from "../../common/format";
import { middleLimit } from "../../map/content";
import { bands } from "../../map/look";
import { useScreen } from "../../state/screen";
import { Departures } from "./Departures";
import { Band } from "./Band";
import { AXIS, FRAME, spanOf } from "./frame";
import { Itineraries } from "./Itineraries";
import { Several } from "./Several";

type Chart = components["schemas"]["Chart"];
type Step = { turn: string; street: string; distance_m: number; duration_s: number; beside_m?: number };

const DASHES = ["0", "5 3", "1.5 3", "9 3 2 3"];
type Props = { result: Results; shown?: number; onShow?: (chart: number) => void; onSet?: (input: string, value: number) => void };

/** `onSet` changes an input of the question. */
export default function AnswerChart({ result, shown = 0, onShow = () => undefined, onSet }: Props) {
  const charts = result.view.charts ?? [];
  const chart = charts[Math.min(shown, charts.length - 1)];
  if (!chart) return null;
  return (
    <>
      {charts.length > 1 && (
        <div className="switches" role="group" aria-label={t`Charts of the answer`}>
          {charts.map(({ name, title }, i) => (
            <button key={title} className="linkish" title={title} aria-pressed={i === shown} onClick={() => onShow(i)}>
              {name ?? title}
            </button>
          ))}
        </div>
      )}
      <OneChart chart={chart} result={result} named={charts.length === 1} onSet={onSet} />
    </>
  );
}

/** A chart; its title is left out where a switch names it. */
function OneChart({ chart, result, named, onSet }: { chart: Chart; result: Results; named: boolean; onSet: Props["onSet"] }) {
  if (chart.kind === "departures") return <Departures key={chart.share} chart={chart} named={named} onSet={onSet} />;
  if (chart.kind === "itineraries") return <Itineraries result={result} part={chart.part ?? ""} />;
  if (chart.kind === "several") return <Several chart={chart} named={named} />;
  if (chart.kind === "steps") return <WayChart chart={chart} steps={(result[chart.part ?? ""] ?? []) as Step[]} />;
  return chart.kind === "curve" ? <Curve chart={chart} named={named} /> : <Bars chart={chart} named={named} />;
}

function Curve({ chart, named }: { chart: Chart; named: boolean }) {
  const { minute, showMinute, moment, lookAtMoment, runTime } = useScreen("minute", "showMinute", "moment", "lookAtMoment", "runTime");
  const x = (chart.x?.values ?? []) as number[];
  const series = (chart.series ?? []).map(({ label, values, low, high }) => ({ label, values: values as number[], low, high }));
  const clock = chart.x?.clock ?? false;
  // A curve that belongs to a part has a cursor, and the map follows it; so it does over the time of day.
  const led = !!chart.part || clock;
  const at = clock ? moment : led && minute !== null ? minute : chart.marks ? middleLimit(chart.marks) : null;
  const show = (value: number) => {
    if (!clock) return showMinute(value);
    runTime(false);
    lookAtMoment(value);
  };
  const nearest = at === null ? -1 : x.reduce((best, value, i) => (Math.abs(value - at) < Math.abs((x[best] ?? 0) - at) ? i : best), 0);
  const abscissa = figure(x[nearest], Number.isInteger(x[nearest]) ? 0 : 1);
  const top = x[x.length - 1] ?? 1;
  return (
    <>
      {named && <h3>{chart.title}</h3>}
      <div className="series-key">
        {series.map(({ label, values }, i) => (
          <span key={label}>
            <svg aria-hidden="true">
              <path d="M0 4H24" stroke="var(--ink)" strokeWidth="2" strokeDasharray={DASHES[i % DASHES.length]} />
            </svg>
            {label}
            {nearest >= 0 && <b>{figure(values[nearest], clock && Number.isInteger(values[nearest]) ? 0 : 1)}</b>}
          </span>
        ))}
        {nearest >= 0 && (
          <em>{clock ? t`at ${clockOfDay(at ?? 0)}` : chart.x?.label === "minutes" ? t`at ${abscissa} min` : t`at ${abscissa} m`}</em>
        )}
        {led && !clock && minute !== null && (
          <button className="linkish" onClick={() => showMinute(null)}>
            <Trans>back to the limits</Trans>
          </button>
        )}
      </div>
      <div className="chart-fill">
      <LineChart
        margin={{ top: 8, right: 16, bottom: 2, left: 0 }}
        hideLegend
        skipAnimation
        grid={{ horizontal: true }}
        xAxis={[{ data: x, min: clock ? (x[0] ?? 0) : 0, ...(clock ? { valueFormatter: clockOfDay } : {}), max: x[x.length - 1] ?? 1, label: chart.x?.label ?? "", labelStyle: { fontSize: 11.5, fill: "var(--ink-2)" }, height: 44, tickNumber: 7, ...AXIS }]}
        yAxis={[{ min: 0, width: 40, tickNumber: 3, ...AXIS }]}
        series={series.map(({ label, values }, i) => ({ id: `s${i}`, data: values, label, showMark: false, color: "var(--ink)", curve: "linear" as const }))}
        sx={{
          ...FRAME,
          "& .MuiLineElement-root": { strokeWidth: 1.8 },
          ...Object.fromEntries(
            series.map((_, i) => [`& .MuiLineElement-series-s${i}, & [data-series="s${i}"]`, { strokeDasharray: DASHES[i % DASHES.length] }]),
          ),
        }}
      >
        {series.map(({ label, low, high }) => low && high && <Band key={label} x={x} low={low} high={high} />)}
        {at !== null && <ChartsReferenceLine x={at} lineStyle={{ stroke: led ? "var(--thread)" : "var(--ink)", strokeWidth: led ? 1.6 : 1 }} />}
      </LineChart>
      {led && (
        <div className="cursor">
          <Slider
            size="small"
            track={false}
            min={clock ? (x[0] ?? 0) : 0}
            max={top}
            step={clock ? 1 : top / (x.length - 1)}
            value={at ?? (clock ? (x[0] ?? 0) : 0)}
            aria-label={t`Minute shown on the map`}
            getAriaValueText={(value) => (clock ? clockOfDay(value) : t`${value} minutes`)}
            onChange={(_, value) => show(value)}
          />
        </div>
      )}
      </div>
    </>
  );
}

function Bars({ chart, named }: { chart: Chart; named: boolean }) {
  const words = chart.x?.values ?? [];
  const series = (chart.series ?? []).map(({ label, values }) => ({ label, values: values as number[] }));
  const many = words.length > 8;
  const span = spanOf(series.flatMap(({ values }) => values));
  const inks = series.length > 1 ? bands(series.length).map(({ street }) => street) : ["var(--ink-2)"];
  return (
    <>
      {named && <h3>{chart.title}</h3>}
      {(series.length > 1 || !named) && (
        <div className="series-key">
          {series.map(({ label }, i) => (
            <span key={label}>
              <svg aria-hidden="true">
                <rect width="18" height="8" fill={inks[i]} />
              </svg>
              {label}
            </span>
          ))}
        </div>
      )}
      <div className="chart-fill">
      <BarChart
        margin={{ top: 8, right: 8, bottom: 2, left: 0 }}
        hideLegend
        skipAnimation
        grid={{ horizontal: true }}
        xAxis={[{ scaleType: "band", data: words, height: many ? 62 : 30, ...AXIS, tickLabelStyle: { ...AXIS.tickLabelStyle, ...(many ? { angle: -38, textAnchor: "end", fontSize: 11.5 } : {}) } }]}
        yAxis={[{ ...span, width: 52, tickNumber: 3, ...AXIS }]}
        series={series.map(({ label, values }, i) => ({ data: values, label, color: inks[i] ?? "var(--ink-2)" }))}
        sx={FRAME}
      >
        {"max" in span && <ChartsReferenceLine y={0} lineStyle={{ stroke: "var(--ink)", strokeWidth: 1 }} />}
      </BarChart>
      </div>
    </>
  );
}

/** Directions of a way, and the heights along it where they are known. */
function WayChart({ chart, steps }: { chart: Chart; steps: Step[] }) {
  const [heights, setHeights] = useState(false);
  return (
    <>
      {chart.profile && (
        <button className="linkish switch" aria-pressed={heights} onClick={() => setHeights(!heights)}>
          {heights ? t`Directions` : t`Heights`}
        </button>
      )}
      {heights && chart.profile ? <Profile chart={chart.profile} /> : <Directions title={chart.title} steps={steps} />}
    </>
  );
}

/** Heights along a way; the axis does not begin at zero. */
function Profile({ chart }: { chart: Chart }) {
  const values = (chart.series?.[0]?.values ?? []) as number[];
  const x = (chart.x?.values ?? []) as number[];
  const [low, high] = [Math.min(...values), Math.max(...values)];
  return (
    <>
      <h3>{chart.title}</h3>
      <div className="chart-fill">
        <LineChart
          margin={{ top: 8, right: 14, bottom: 2, left: 0 }}
          hideLegend
          skipAnimation
          grid={{ horizontal: true }}
          xAxis={[{ data: x, height: 44, tickNumber: 5, label: chart.x?.label ?? "", labelStyle: { fontSize: 11.5, fill: "var(--ink-2)" }, min: 0, max: x[x.length - 1] ?? 1, ...AXIS }]}
          yAxis={[{ min: Math.floor(low) - 1, max: Math.max(Math.ceil(high) + 1, Math.floor(low) + 10), width: 40, tickNumber: 4, ...AXIS }]}
          series={[{ id: "height", data: values, label: t`Height, m`, showMark: false, color: "var(--ink)", curve: "linear" }]}
          sx={{ ...FRAME, "& .MuiLineElement-root": { strokeWidth: 1.8 } }}
        />
      </div>
    </>
  );
}

/** A turn with the word that leads to its street; setting out and ending take time at a place, which is none. */
function onto(turn: string): string {
  if (turn === "set out" || turn === "end") return turn;
  return turn === "start" ? t`start on` : turn === "go straight on" ? t`straight on into` : t`${turn} into`;
}

function Directions({ title, steps }: { title: string; steps: Step[] }) {
  return (
    <>
      <h3>{title}</h3>
      <ol className="steps">
        {steps.map((step, i) => (
          <li key={i}>
            <span>
              {[step.distance_m > 0 && distance(step.distance_m), duration(step.duration_s)].filter(Boolean).join(", ")}
            </span>
            {onto(step.turn)}{" "}
            {step.beside_m ? (
              <Trans>
                <b>{step.street}</b>, {figure(step.beside_m)} m beside
              </Trans>
            ) : (
              <b>{step.street}</b>
            )}
          </li>
        ))}
      </ol>
    </>
  );
}
