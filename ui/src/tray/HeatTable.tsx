/** A matrix as a table of minutes, starts down and ends across, the shorter the darker. */
import { figure } from "../common/format";
import { shareRamp } from "../map/look";

type Pair = { origin: string; destination: string; duration_s: number; distance_m: number };

/** Most columns and rows that can be taken in at a look. */
export const MOST_COLUMNS = 60;
const MOST_ROWS = 400;

export function HeatTable({ pairs }: { pairs: Pair[] }) {
  const starts = [...new Set(pairs.map(({ origin }) => origin))].slice(0, MOST_ROWS);
  const ends = [...new Set(pairs.map(({ destination }) => destination))].slice(0, MOST_COLUMNS);
  const minutes = new Map(pairs.map((pair) => [`${pair.origin}\n${pair.destination}`, pair.duration_s / 60]));
  const most = Math.max(...minutes.values(), 1);
  const ramp = shareRamp();
  const shade = (value: number) => Math.min(Math.floor((1 - value / most) * ramp.length), ramp.length - 1);
  return (
    <div className="heat">
      <table aria-label="Minutes from each start to each end">
        <thead>
          <tr>
            <th scope="col">min</th>
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
                  <td key={end} style={{ background: ramp[step] ?? "transparent", color: step > 2 ? "var(--page)" : "var(--ink)" }} title={`${start} to ${end}`}>
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
