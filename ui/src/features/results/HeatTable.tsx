/** Rows as a table with two heads, such as a matrix of minutes from starts to ends: the less the darker. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { figure } from "../../common/format";
import type { components } from "../../api/schema";
import { shareRamp } from "../../map/look";
import type { Row } from "./grid";

/** Most columns and rows that can be taken in at a look. */
export const MOST_COLUMNS = 60;
const MOST_ROWS = 400;

export function HeatTable({ rows, pivot }: { rows: Row[]; pivot: components["schemas"]["Pivot"] }) {
  const [from, to] = [(row: Row) => String(row[pivot.rows]), (row: Row) => String(row[pivot.columns])];
  const starts = [...new Set(rows.map(from))].slice(0, MOST_ROWS);
  const ends = [...new Set(rows.map(to))].slice(0, MOST_COLUMNS);
  const minutes = new Map(rows.map((row) => [`${from(row)}\n${to(row)}`, Number(row[pivot.cells]) / (pivot.per ?? 1)]));
  const most = Math.max(...minutes.values(), 1);
  const ramp = shareRamp();
  const shade = (value: number) => Math.min(Math.floor((1 - value / most) * ramp.length), ramp.length - 1);
  return (
    <div className="heat">
      <table aria-label={pivot.title || t`Minutes from each start to each end`}>
        <thead>
          <tr>
            <th scope="col">{pivot.title ? "" : <Trans>min</Trans>}</th>
            {ends.map((end) => (
              <th key={end} scope="col" title={end}>
                {end}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {starts.map((start) => (
            <tr key={start}>
              <th scope="row">{start}</th>
              {ends.map((end) => {
                const value = minutes.get(`${start}\n${end}`);
                const step = value === undefined ? -1 : shade(value);
                return (
                  <td key={end} style={{ background: ramp[step] ?? "transparent", color: step > 2 ? "var(--page)" : "var(--ink)" }} title={pivot.title ? `${pivot.title}: ${start}, ${end}` : t`${start} to ${end}`}>
                    {figure(value, 1)}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
