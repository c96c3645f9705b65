/** Shares by minute of each zone, small enough for a row of the table. */
import type { Answer } from "../state/sheet";

/** Shares in percent by minute, of each zone by its name. */
export function curvesOf(answer: Answer): Map<string, number[]> {
  const rows = (answer.result.curves ?? []) as Record<string, number | string>[];
  const keys = Object.keys(rows[0] ?? {}).filter((key) => key.startsWith("within_"));
  return new Map(rows.map((row) => [String(row.zone), keys.map((key) => Number(row[key]))]));
}

const [WIDE, HIGH] = [54, 16];

/** A curve from nobody to all, without axes. */
export function Spark({ values }: { values: number[] }) {
  const path = values.map((value, i) => `${i ? "L" : "M"}${((i * WIDE) / Math.max(values.length - 1, 1)).toFixed(1)} ${(HIGH - 1 - (value / 100) * (HIGH - 2)).toFixed(1)}`).join("");
  return (
    <svg className="spark" width={WIDE} height={HIGH} aria-hidden="true">
      <path d={`M0 ${HIGH - 0.5}H${WIDE}`} stroke="var(--rule)" />
      <path d={path} fill="none" stroke="var(--b1)" strokeWidth="1.4" />
    </svg>
  );
}
