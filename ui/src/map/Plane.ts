/** Metres around a place of the map, east and south: small enough for 32-bit numbers. The map is always north up. */
import { MercatorCoordinate, type Map as MapLibre } from "maplibre-gl";

type Numbers = ArrayLike<number>;
/** Pixels of a canvas: how many a metre takes, where the origin lies, how large the canvas is, and how many make one of the page. */
export type Pixels = { scale: number; offset: [number, number]; size: [number, number]; ratio: number };

export class Plane {
  private readonly origin: { x: number; y: number };
  /** Of the mercator square, the part that a metre is. */
  private readonly unit: number;

  constructor(lon: number, lat: number) {
    const middle = MercatorCoordinate.fromLngLat([lon, lat]);
    this.origin = { x: middle.x, y: middle.y };
    this.unit = middle.meterInMercatorCoordinateUnits();
  }

  /** Places (n) as east, south, east, south, ... */
  metres(lon: Numbers, lat: Numbers): Float32Array<ArrayBuffer> {
    const metres = new Float32Array(lon.length * 2);
    for (let i = 0; i < lon.length; i++) {
      const { x, y } = MercatorCoordinate.fromLngLat([lon[i] ?? 0, lat[i] ?? 0]);
      metres[2 * i] = (x - this.origin.x) / this.unit;
      metres[2 * i + 1] = (y - this.origin.y) / this.unit;
    }
    return metres;
  }

  /** How the plane lies on the canvas of a map now. */
  onto(map: MapLibre): Pixels {
    const { width, height, clientWidth } = map.getCanvas();
    const ratio = width / Math.max(clientWidth, 1);
    const world = 512 * 2 ** map.getZoom() * ratio;
    const centre = MercatorCoordinate.fromLngLat(map.getCenter());
    return {
      scale: this.unit * world,
      offset: [(this.origin.x - centre.x) * world + width / 2, (this.origin.y - centre.y) * world + height / 2],
      size: [width, height],
      ratio,
    };
  }
}

/** West, north, east, south in metres of what a canvas shows, and so many pixels of the page around it. */
export function inView({ scale, offset: [left, top], size: [width, height], ratio }: Pixels, margin: number): [number, number, number, number] {
  const room = margin * ratio;
  return [(-left - room) / scale, (-top - room) / scale, (width - left + room) / scale, (height - top + room) / scale];
}

/** What shaders call these: `scale`, `offset`, `size`. */
export function putPixels(gl: WebGL2RenderingContext, uniforms: Record<string, WebGLUniformLocation | null>, { scale, offset, size }: Pixels): void {
  gl.uniform2f(uniforms.scale ?? null, scale, scale);
  gl.uniform2f(uniforms.offset ?? null, ...offset);
  gl.uniform2f(uniforms.size ?? null, ...size);
}
