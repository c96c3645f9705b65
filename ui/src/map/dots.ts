/** Points by the thousand, as columns: as features, a worker would have to cut them into tiles whenever one of them is chosen. */
import type { Feature, Position } from "geojson";

/** How the points of a kind are drawn; radius in pixels. */
export type DotKind = { colour: string; radius: number };
/** Where each lies (n), of which kind it is, and the name of its row where it has one; later ones lie on top. */
export type Dots = { lon: Float64Array; lat: Float64Array; kind: Uint8Array; kinds: DotKind[]; names: (string | null)[] };

const NO_KIND: DotKind = { colour: "#000000", radius: 0 };

/** Features in the order in which they are drawn, with the kind and the name of each. */
export function dotsOf(features: Feature[], kindOf: (i: number) => DotKind | undefined, nameOf: (feature: Feature) => string | null): Dots {
  const lon = new Float64Array(features.length);
  const lat = new Float64Array(features.length);
  const kind = new Uint8Array(features.length);
  const kinds: DotKind[] = [];
  const known = new Map<string, number>();
  const names = features.map((feature, i) => {
    [lon[i] = NaN, lat[i] = NaN] = firstPosition((feature.geometry as { coordinates?: unknown } | null)?.coordinates);
    const { colour, radius } = kindOf(i) ?? NO_KIND;
    const key = `${colour} ${radius}`;
    const at = known.get(key) ?? kinds.push({ colour, radius }) - 1;
    known.set(key, at);
    kind[i] = at;
    return nameOf(feature);
  });
  return { lon, lat, kind, kinds, names };
}

function firstPosition(coordinates: unknown): Position {
  if (!Array.isArray(coordinates)) return [];
  return typeof coordinates[0] === "number" ? (coordinates as Position) : firstPosition(coordinates[0]);
}

/** The dots of one layer, and over them those of another. */
export function over(below: Dots | null, above: Dots): Dots {
  if (!below) return above;
  const [lon, lat] = (["lon", "lat"] as const).map((axis) => {
    const both = new Float64Array(below.names.length + above.names.length);
    both.set(below[axis]);
    both.set(above[axis], below.names.length);
    return both;
  }) as [Float64Array, Float64Array];
  const kind = new Uint8Array(lon.length);
  kind.set(below.kind);
  kind.set(above.kind.map((one) => one + below.kinds.length), below.names.length);
  return { lon, lat, kind, kinds: [...below.kinds, ...above.kinds], names: [...below.names, ...above.names] };
}

/** The name of the nearest dot that has one, of those within a box (west, south, east, north); null where there is none. */
export function nearestName({ lon, lat, names }: Dots, [west, south, east, north]: [number, number, number, number]): string | null {
  const [x, y] = [(west + east) / 2, (south + north) / 2];
  const [wide, high] = [Math.max((east - west) / 2, 1e-12), Math.max((north - south) / 2, 1e-12)];
  let [found, least]: [string | null, number] = [null, 1];
  for (let i = 0; i < lon.length; i++) {
    // In shares of the box, in which degrees of longitude and of latitude are alike.
    const away = Math.hypot(((lon[i] ?? NaN) - x) / wide, ((lat[i] ?? NaN) - y) / high);
    const name = names[i] ?? null;
    if (name !== null && away <= least) [found, least] = [name, away];
  }
  return found;
}
