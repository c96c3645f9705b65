/** The last of some moments that is not after a minute of the day; the first where all are. */
export function stepOf(minutes: number[], minute: number): number {
  let step = 0;
  for (const [i, at] of minutes.entries()) if (at <= minute) step = i;
  return step;
}
