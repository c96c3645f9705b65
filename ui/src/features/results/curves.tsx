/** Numbers of each row of a table as a curve, small enough for a row of the table. */
import type { Results } from "../../api/client";

/** The numbers of each row of a part by its key, in the order of their columns. */
export function curvesOf(result: Results, part: string | null | undefined, key: string | null | undefined): Map<string, number[]> {
  if (!part || !key) return new Map();
  const steps = (result.schema[part] ?? []).filter(({ limit }) => limit != null).map(({ name }) => name);
  const rows = (result[part] ?? []) as Record<string, number | string>[];
  return new Map(rows.map((row) => [String(row[key]), steps.map((step) => Number(row[step]))]));
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
