/** The chart of an answer: curves by minute, bars, or a route's directions. Lines differ by dash, not by colour alone. */
import { BarChart } from "@mui/x-charts/BarChart";
import { ChartsReferenceLine } from "@mui/x-charts/ChartsReferenceLine";
import { LineChart } from "@mui/x-charts/LineChart";
import { useState } from "react";
import type { Results } from "../api/client";
import { duration, figure } from "../common/format";
import { middleLimit } from "../map/content";

type Chart = {
  kind: "curve" | "bars" | "steps";
  title: string;
  part?: string;
  x: { label: string; values: (number | string)[] };
  series: { label: string; values: number[] }[];
  marks?: number[];
  profile?: Chart | null;
};
type Step = { turn: string; street: string; distance_m: number; duration_s: number };

const DASHES = ["0", "5 3", "1.5 3", "9 3 2 3"];
const AXIS = { tickLabelStyle: { fontSize: 11.5, fill: "var(--ink-2)", fontFamily: "IBM Plex Sans" } };
const FRAME = {
  "& .MuiChartsAxis-line, & .MuiChartsAxis-tick": { stroke: "var(--rule-2) !important" },
  "& .MuiChartsGrid-line": { stroke: "var(--rule)" },
  "& .MuiBarElement-root": { rx: 0 },
};

export function AnswerChart({ result }: { result: Results }) {
  const chart = result.chart as Chart | undefined;
  if (!chart) return null;
  if (chart.kind === "steps") return <WayChart chart={chart} steps={(result[chart.part ?? ""] ?? []) as Step[]} />;
  return chart.kind === "curve" ? <Curve chart={chart} /> : <Bars chart={chart} />;
}

function Curve({ chart }: { chart: Chart }) {
  const x = chart.x.values as number[];
  const at = chart.marks ? middleLimit(chart.marks) : null;
  const nearest = at === null ? -1 : x.reduce((best, value, i) => (Math.abs(value - at) < Math.abs((x[best] ?? 0) - at) ? i : best), 0);
  return (
    <>
      <h3>{chart.title}</h3>
      <div className="series-key">
        {chart.series.map(({ label, values }, i) => (
          <span key={label}>
            <svg aria-hidden="true">
              <path d="M0 4H24" stroke="var(--ink)" strokeWidth="2" strokeDasharray={DASHES[i % DASHES.length]} />
            </svg>
            {label}
            {nearest >= 0 && <b>{figure(values[nearest], 1)}</b>}
          </span>
        ))}
        {nearest >= 0 && (
          <em>
            at {figure(x[nearest], 0)} {chart.x.label === "minutes" ? "min" : "m"}
          </em>
        )}
      </div>
      <div className="chart-fill">
      <LineChart
        margin={{ top: 8, right: 16, bottom: 2, left: 0 }}
        hideLegend
        skipAnimation
        grid={{ horizontal: true }}
        xAxis={[{ data: x, min: 0, max: x[x.length - 1] ?? 1, label: chart.x.label, labelStyle: { fontSize: 11.5, fill: "var(--ink-2)" }, height: 44, tickNumber: 7, ...AXIS }]}
        yAxis={[{ min: 0, width: 40, tickNumber: 3, ...AXIS }]}
        series={chart.series.map(({ label, values }, i) => ({ id: `s${i}`, data: values, label, showMark: false, color: "var(--ink)", curve: "linear" as const }))}
        sx={{
          ...FRAME,
          "& .MuiLineElement-root": { strokeWidth: 1.8 },
          ...Object.fromEntries(
            chart.series.map((_, i) => [`& .MuiLineElement-series-s${i}, & [data-series="s${i}"]`, { strokeDasharray: DASHES[i % DASHES.length] }]),
          ),
        }}
      >
        {at !== null && <ChartsReferenceLine x={at} lineStyle={{ stroke: "var(--ink)", strokeWidth: 1 }} />}
      </LineChart>
      </div>
    </>
  );
}

function Bars({ chart }: { chart: Chart }) {
  const many = chart.x.values.length > 8;
  return (
    <>
      <h3>{chart.title}</h3>
      <div className="chart-fill">
      <BarChart
        margin={{ top: 8, right: 8, bottom: 2, left: 0 }}
        hideLegend
        skipAnimation
        grid={{ horizontal: true }}
        xAxis={[{ scaleType: "band", data: chart.x.values, height: many ? 62 : 30, ...AXIS, tickLabelStyle: { ...AXIS.tickLabelStyle, ...(many ? { angle: -38, textAnchor: "end", fontSize: 11.5 } : {}) } }]}
        yAxis={[{ min: 0, width: 52, tickNumber: 3, ...AXIS }]}
        series={chart.series.map(({ label, values }) => ({ data: values, label, color: "var(--ink-2)" }))}
        sx={FRAME}
      />
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
          {heights ? "Directions" : "Heights"}
        </button>
      )}
      {heights && chart.profile ? <Profile chart={chart.profile} /> : <Directions title={chart.title} steps={steps} />}
    </>
  );
}

/** Heights along a way; the axis does not begin at zero. */
function Profile({ chart }: { chart: Chart }) {
  const values = chart.series[0]?.values ?? [];
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
          xAxis={[{ data: chart.x.values as number[], height: 44, tickNumber: 5, label: chart.x.label, labelStyle: { fontSize: 11.5, fill: "var(--ink-2)" }, min: 0, max: Number(chart.x.values[chart.x.values.length - 1]), ...AXIS }]}
          yAxis={[{ min: Math.floor(low) - 1, max: Math.max(Math.ceil(high) + 1, Math.floor(low) + 10), width: 40, tickNumber: 4, ...AXIS }]}
          series={[{ id: "height", data: values, label: "Height, m", showMark: false, color: "var(--ink)", curve: "linear" }]}
          sx={{ ...FRAME, "& .MuiLineElement-root": { strokeWidth: 1.8 } }}
        />
      </div>
    </>
  );
}

function Directions({ title, steps }: { title: string; steps: Step[] }) {
  return (
    <>
      <h3>{title}</h3>
      <ol className="steps">
        {steps.map((step, i) => (
          <li key={i}>
            <span>
              {step.distance_m < 1000 ? `${figure(step.distance_m)} m` : `${figure(step.distance_m / 1000, 2)} km`}, {duration(step.duration_s)}
            </span>
            {step.turn === "start" ? "start on" : step.turn === "go straight on" ? "straight on into" : `${step.turn} into`} <b>{step.street}</b>
          </li>
        ))}
      </ol>
    </>
  );
}
