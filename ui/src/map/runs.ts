/** Which of many lines need drawing: they are kept by class and by square of the ground, and drawn run by run. */

/** Squares to a side of the ground that all lines cover. */
const GRID = 16;

/** Lines in drawing order, their squares, and where the instances of each class and square begin. */
export type Runs = { order: number[]; starts: Uint32Array; classes: number[]; boxes: Float64Array };
type Lines = { count: number; classOf: Int32Array; start: Uint32Array; xy: Float32Array };

/** Order lines by the weight of their class, then class, then square; the boxes are those of what lies in each square. */
export function runsOf({ count, classOf, start, xy }: Lines, weight: number[]): Runs {
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < xy.length; i += 2) {
    const [x, y] = [xy[i] ?? 0, xy[i + 1] ?? 0];
    box[0] = Math.min(box[0] ?? 0, x);
    box[1] = Math.min(box[1] ?? 0, y);
    box[2] = Math.max(box[2] ?? 0, x);
    box[3] = Math.max(box[3] ?? 0, y);
  }
  const [west = 0, north = 0, east = 1, south = 1] = box;
  const step = (value: number, low: number, high: number) => Math.min(Math.floor(((value - low) / Math.max(high - low, 1e-9)) * GRID), GRID - 1);
  const classes = weight.map((_, i) => i).sort((a, b) => (weight[a] ?? 0) - (weight[b] ?? 0) || a - b);
  const rank = new Int32Array(weight.length);
  classes.forEach((one, i) => (rank[one] = i));
  const cells = GRID * GRID;
  const key = new Float64Array(count);
  const boxes = new Float64Array(cells * 4);
  for (let cell = 0; cell < cells; cell++) boxes.set([Infinity, Infinity, -Infinity, -Infinity], cell * 4);
  const starts = new Uint32Array(classes.length * cells + 1);
  for (let line = 0; line < count; line++) {
    const a = start[line] ?? 0;
    const b = start[line + 1] ?? 0;
    const cell = step(xy[2 * a + 1] ?? 0, north, south) * GRID + step(xy[2 * a] ?? 0, west, east);
    const run = (rank[classOf[line] ?? 0] ?? 0) * cells + cell;
    key[line] = run;
    starts[run + 1] = (starts[run + 1] ?? 0) + b - a - 1;
    for (let v = a; v < b; v++) {
      const [x, y] = [xy[2 * v] ?? 0, xy[2 * v + 1] ?? 0];
      boxes[cell * 4] = Math.min(boxes[cell * 4] ?? 0, x);
      boxes[cell * 4 + 1] = Math.min(boxes[cell * 4 + 1] ?? 0, y);
      boxes[cell * 4 + 2] = Math.max(boxes[cell * 4 + 2] ?? 0, x);
      boxes[cell * 4 + 3] = Math.max(boxes[cell * 4 + 3] ?? 0, y);
    }
  }
  for (let run = 0; run + 1 < starts.length; run++) starts[run + 1] = (starts[run + 1] ?? 0) + (starts[run] ?? 0);
  const order = Array.from({ length: count }, (_, i) => i).sort((a, b) => (key[a] ?? 0) - (key[b] ?? 0) || a - b);
  return { order, starts, classes, boxes };
}

/** First instance and number of those to draw, of classes that are shown, in squares that touch the view; west, north, east, south. */
export function runsInView({ starts, classes, boxes }: Runs, shown: (of: number) => boolean, view: [number, number, number, number]): [number, number][] {
  const [west, north, east, south] = view;
  const cells = boxes.length / 4;
  const seen = Array.from({ length: cells }, (_, cell) => {
    const [x0 = 0, y0 = 0, x1 = 0, y1 = 0] = boxes.subarray(cell * 4, cell * 4 + 4);
    return x0 <= east && x1 >= west && y0 <= south && y1 >= north;
  });
  const found: [number, number][] = [];
  classes.forEach((one, rank) => {
    if (!shown(one)) return;
    for (let cell = 0; cell < cells; cell++) {
      const run = rank * cells + cell;
      const begin = starts[run] ?? 0;
      const count = (starts[run + 1] ?? 0) - begin;
      if (!seen[cell] || count === 0) continue;
      const last = found[found.length - 1];
      if (last && last[0] + last[1] === begin) last[1] += count;
      else found.push([begin, count]);
    }
  });
  return found;
}
