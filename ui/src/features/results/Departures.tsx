/** A dot for each departure of a window, with the median, and the share of departures that an answer keeps to. */
import { t } from "@lingui/core/macro";
import { Slider } from "@mui/material";
import { ChartsReferenceLine } from "@mui/x-charts/ChartsReferenceLine";
import { ScatterChart } from "@mui/x-charts/ScatterChart";
import { useState } from "react";
import type { components } from "../../api/schema";
import { figure } from "../../common/format";
import { AXIS, FRAME } from "./frame";

type Chart = components["schemas"]["Chart"];
type Props = { chart: Chart; named: boolean; onSet?: ((input: string, value: number) => void) | undefined };

/** What a share of the departures keeps: of times so many are no longer, of what one wants so many have no less. */
export function keptBy(values: (number | null)[], share: number, moreIsBetter: boolean): number | null {
  const worst = moreIsBetter ? -1 : Infinity;
  const sorted = values.map((value) => value ?? worst).sort((a, b) => (moreIsBetter ? b - a : a - b));
  const rank = Math.min(Math.max(Math.ceil((share / 100) * sorted.length) - 1, 0), sorted.length - 1);
  const value = sorted[rank];
  return value === undefined || value === worst ? null : value;
}

export function Departures({ chart, named, onSet }: Props) {
  const clock = (chart.x?.values ?? []) as string[];
  const values = chart.series?.[0]?.values ?? [];
  const unit = chart.series?.[0]?.label ?? "";
  const [moved, setMoved] = useState<number | null>(null);
  const more = chart.more_is_better ?? false;
  const share = moved ?? chart.share ?? 50;
  const [median, kept] = [keptBy(values, 50, more), keptBy(values, share, more)];
  const told = (value: number | null) => (value === null ? t`no way` : `${figure(value, Number.isInteger(value) ? 0 : 1)} ${unit}`);
  const most = Math.max(...values.map((value) => value ?? 0), 1);
  return (
    <>
      {named && <h3>{chart.title}</h3>}
      <div className="series-key">
        <span>
          <svg aria-hidden="true"><circle cx="9" cy="4" r="3" fill="var(--ink)" /></svg>
          {chart.title}
        </span>
        <span>
          <svg aria-hidden="true"><path d="M0 4H24" stroke="var(--ink)" strokeWidth="1.4" strokeDasharray="4 3" /></svg>
          {t`median`} <b>{told(median)}</b>
        </span>
      </div>
      {chart.handle && (
        <div className="share-handle">
          <span>{t`${figure(share)}% of departures keep`} <b>{told(kept)}</b></span>
          {onSet && (
            <Slider
              size="small"
              track={false}
              min={0}
              max={100}
              step={5}
              value={share}
              aria-label={t`Share of departures that keep the time`}
              getAriaValueText={(value) => t`${value} percent`}
              onChange={(_, value) => setMoved(value)}
              onChangeCommitted={(_, value) => chart.handle && value !== chart.share && onSet(chart.handle, value)}
            />
          )}
        </div>
      )}
      <div className="chart-fill">
        <ScatterChart
          margin={{ top: 8, right: 16, bottom: 2, left: 0 }}
          hideLegend
          skipAnimation
          grid={{ horizontal: true }}
          xAxis={[{ min: 0, max: Math.max(clock.length - 1, 1), valueFormatter: (nth: number) => clock[nth] ?? "", height: 28, tickNumber: 5, ...AXIS }]}
          yAxis={[{ min: 0, max: Math.ceil(most * 1.08), width: 40, tickNumber: 3, ...AXIS }]}
          series={[{ data: values.flatMap((y, x) => (y === null ? [] : [{ x, y, id: x }])), markerSize: 2.6, color: "var(--ink)", valueFormatter: (at) => (at ? `${clock[Number(at.x)] ?? ""}: ${told(Number(at.y))}` : "") }]}
          sx={FRAME}
        >
          {median !== null && <ChartsReferenceLine y={median} lineStyle={{ stroke: "var(--ink)", strokeDasharray: "4 3" }} />}
          {chart.handle && kept !== null && <ChartsReferenceLine y={kept} lineStyle={{ stroke: "var(--thread)", strokeWidth: 1.6 }} />}
        </ScatterChart>
      </div>
    </>
  );
}
