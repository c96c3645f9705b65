/** How axes and grids of charts look. */
export const AXIS = { tickLabelStyle: { fontSize: 11.5, fill: "var(--ink-2)", fontFamily: "IBM Plex Sans" } };
export const FRAME = {
  "& .MuiChartsAxis-line, & .MuiChartsAxis-tick": { stroke: "var(--rule-2) !important" },
  "& .MuiChartsGrid-line": { stroke: "var(--rule)" },
  "& .MuiBarElement-root": { rx: 0 },
};

/** What the axis of bars spans: from zero up, or, where some fall below it, as far to either side. */
export function spanOf(values: (number | null)[]): { min: number } | { min: number; max: number } {
  const most = Math.max(0, ...values.map((value) => Math.abs(value ?? 0)));
  return values.some((value) => value !== null && value < 0) ? { min: -most, max: most } : { min: 0 };
}
