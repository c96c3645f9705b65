/** A band around a curve, between its lowest and highest values, on the scales of the chart it stands in. */
import { useXScale, useYScale } from "@mui/x-charts/hooks";

type Props = { x: number[]; low: (number | null)[]; high: (number | null)[] };

export function Band({ x, low, high }: Props) {
  const [across, up] = [useXScale<"linear">(), useYScale<"linear">()];
  const rows = x.flatMap((at, i) => (low[i] == null || high[i] == null ? [] : [[at, low[i], high[i]] as const]));
  const point = (at: number, value: number) => `${across(at)} ${up(value)}`;
  const outline = [...rows.map(([at, , top]) => point(at, top)), ...rows.map(([at, bottom]) => point(at, bottom)).reverse()];
  return outline.length ? <path d={`M${outline.join("L")}Z`} fill="var(--ink)" opacity={0.13} /> : null;
}
