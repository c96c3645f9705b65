/** The base map of a form, drawn from the study's own vector tiles: ground, water, streets, names, in ink on paper. */
import { VectorTile, type VectorTileFeature } from "@mapbox/vector-tile";
import { GridLayer, type Coords, type DoneCallback } from "leaflet";
import { PbfReader } from "pbf";

/** The newest zoom that tiles are made for; beyond it they are drawn larger. */
export const NEWEST_ZOOM = 15;
const SIZE = 512;
const FILLS: Record<string, [string, string]> = { field: ["--field", "--field-edge"], sand: ["--sand", "--sand"], green: ["--green", "--green-edge"], building: ["--building", "--building-edge"], water: ["--water", "--water-edge"] };
const STRONG: Record<string, number> = { motorway: 3.4, trunk: 3.2, primary: 2.8, secondary: 2.2, tertiary: 1.7 };
const WEAK = new Set(["footway", "path", "steps", "track", "cycleway", "service"]);

const inks = new Map<string, string>();
function ink(token: string): string {
  const known = inks.get(token) ?? getComputedStyle(document.documentElement).getPropertyValue(token).trim();
  inks.set(token, known);
  return known;
}

type Class = { width: number; token: string };

/** How strong a street of a class is drawn at a zoom, and in which ink. */
export function streetClass(highway: string, zoom: number): Class {
  const width = STRONG[highway] ?? (WEAK.has(highway) ? 0.8 : 1.2);
  const token = width >= 2.8 ? "--st-main" : width >= 1.7 ? "--st-sec" : width > 1 ? "--st-minor" : "--st-path";
  return { width: width * Math.max(0.7, 2 ** ((zoom - 13) * 0.5)), token };
}

/** Where a name of a length stands along a line: its longest straight piece that has room for it, inside the tile. */
export function roomFor(line: { x: number; y: number }[], length: number, size: number): { x: number; y: number; angle: number } | null {
  let best: { x: number; y: number; angle: number } | null = null;
  let longest = length;
  for (let i = 1; i < line.length; i++) {
    const [a, b] = [line[i - 1], line[i]];
    if (!a || !b) continue;
    const long = Math.hypot(b.x - a.x, b.y - a.y);
    const [x, y] = [(a.x + b.x) / 2, (a.y + b.y) / 2];
    const half = length / 2;
    if (long <= longest || x - half < 0 || y - half < 0 || x + half > size || y + half > size) continue;
    longest = long;
    const angle = Math.atan2(b.y - a.y, b.x - a.x);
    // Never upside down.
    best = { x, y, angle: Math.abs(angle) > Math.PI / 2 ? angle + Math.PI : angle };
  }
  return best;
}

export class BaseTiles extends GridLayer {
  constructor(private readonly address: string) {
    // A tile of 512 pixels at a zoom of the map is one of the zoom before.
    super({ tileSize: SIZE, maxNativeZoom: NEWEST_ZOOM + 1, keepBuffer: 1 });
  }

  override createTile(at: Coords, done: DoneCallback): HTMLElement {
    const canvas = document.createElement("canvas");
    const sharp = Math.min(window.devicePixelRatio || 1, 2);
    canvas.width = canvas.height = SIZE * sharp;
    const zoom = at.z - 1;
    const address = this.address.replace("{z}", String(zoom)).replace("{x}", String(at.x)).replace("{y}", String(at.y));
    fetch(address)
      .then(async (response) => {
        if (!response.ok) throw new Error(String(response.status));
        const pen = canvas.getContext("2d");
        if (!pen) return;
        pen.scale(sharp, sharp);
        drawTile(pen, new VectorTile(new PbfReader(await response.arrayBuffer())), zoom);
      })
      .then(() => done(undefined, canvas), (error: unknown) => done(error as Error, canvas));
    return canvas;
  }
}

type Path = { x: number; y: number }[];
const features = (tile: VectorTile, layer: string): VectorTileFeature[] => {
  const known = tile.layers[layer];
  return known ? Array.from({ length: known.length }, (_, i) => known.feature(i)) : [];
};
const paths = (feature: VectorTileFeature): Path[] => feature.loadGeometry().map((path) => path.map(({ x, y }) => ({ x: (x * SIZE) / feature.extent, y: (y * SIZE) / feature.extent })));

function trace(pen: CanvasRenderingContext2D, all: Path[]): void {
  pen.beginPath();
  for (const path of all) path.forEach(({ x, y }, i) => (i ? pen.lineTo(x, y) : pen.moveTo(x, y)));
}

function drawTile(pen: CanvasRenderingContext2D, tile: VectorTile, zoom: number): void {
  for (const [layer, [fill, edge]] of Object.entries(FILLS)) {
    for (const feature of features(tile, layer)) {
      trace(pen, paths(feature));
      pen.fillStyle = ink(fill);
      pen.fill("evenodd");
      pen.strokeStyle = ink(edge);
      pen.lineWidth = 0.8;
      pen.stroke();
    }
  }
  pen.lineCap = pen.lineJoin = "round";
  const streets = features(tile, "streets").map((feature) => ({ lines: paths(feature), name: feature.properties.name, own: streetClass(String(feature.properties.highway), zoom) }));
  for (const { lines, own } of streets.sort((a, b) => a.own.width - b.own.width)) {
    trace(pen, lines);
    pen.strokeStyle = ink(own.token);
    pen.lineWidth = own.width;
    pen.stroke();
  }
  pen.textAlign = "center";
  pen.textBaseline = "middle";
  pen.lineWidth = 3;
  pen.strokeStyle = ink("--halo");
  pen.font = "11px 'IBM Plex Sans', sans-serif";
  pen.fillStyle = ink("--ink-2");
  const written = new Set<string>();
  for (const { lines, name } of streets) {
    if (typeof name !== "string" || written.has(name)) continue;
    const room = lines.map((line) => roomFor(line, pen.measureText(name).width + 8, SIZE)).find((one) => one !== null);
    if (!room) continue;
    written.add(name);
    letter(pen, name, room.x, room.y, room.angle);
  }
  pen.font = "italic 13px 'Source Serif 4 Variable', serif";
  pen.fillStyle = ink("--ink");
  const taken: Box[] = [];
  for (const { at, name } of placesOf(tile)) {
    const half = pen.measureText(name).width / 2 + 2;
    const spot = spotFor(at, half, 9, taken);
    if (spot) letter(pen, name, spot.x, spot.y, 0);
  }
}

type Spot = { x: number; y: number };
type Box = Spot & { half: number; high: number };
const RANKS = ["city", "town", "suburb", "village"];

/** Places with a name that lie in the tile, the largest first. */
function placesOf(tile: VectorTile): { at: Spot; name: string }[] {
  const rank = ({ properties }: VectorTileFeature) => (RANKS.indexOf(String(properties.kind)) + RANKS.length) % (RANKS.length + 1);
  return features(tile, "place")
    .filter(({ properties }) => properties.kind !== "locality" && typeof properties.name === "string")
    .sort((a, b) => rank(a) - rank(b))
    .flatMap((feature) => {
      const [at] = paths(feature)[0] ?? [];
      return at && at.x >= 0 && at.y >= 0 && at.x < SIZE && at.y < SIZE ? [{ at, name: String(feature.properties.name) }] : [];
    });
}

/** Where a name stands: at its place, moved into the tile at the edge; nowhere where another one stands. Takes the room. */
export function spotFor(at: Spot, half: number, high: number, taken: Box[], size = SIZE): Spot | null {
  const x = Math.min(Math.max(at.x, half), size - half);
  const y = Math.min(Math.max(at.y, high), size - high);
  if (taken.some((other) => Math.abs(other.x - x) < other.half + half && Math.abs(other.y - y) < other.high + high)) return null;
  taken.push({ x, y, half, high });
  return { x, y };
}

function letter(pen: CanvasRenderingContext2D, text: string, x: number, y: number, angle: number): void {
  pen.save();
  pen.translate(x, y);
  pen.rotate(angle);
  pen.strokeText(text, 0, 0);
  pen.fillText(text, 0, 0);
  pen.restore();
}
