/**
 * Streets drawn by one small WebGL2 layer, coloured by the arrival at each point of them.
 *
 * Shapes are uploaded once per study, as a texture the vertex shader reads its corners from: instances of four corners each would
 * be drawn one by one where there is no graphics card, and badly where there is one. A new reach is one texture upload: per link the arrival at both ends and the cost
 * of passing it each way; the shader computes the arrival at every pixel, so a band ends exactly where the limit falls.
 * Links on which a place stands are split there and drawn from a small second texture of shapes. The map is always north up.
 */
import type { CustomLayerInterface, Map as MapLibre } from "maplibre-gl";
import type { Packed } from "../api/packed";
import { inView, Plane, putPixels } from "./Plane";
import { linked } from "./program";
import { runsInView, runsOf, type Runs } from "./runs";

export type Rgb = [number, number, number];
export type StreetLook = {
  /** Ink by street class; width in pixels at the given zoom, 0 to hide. */
  ink: (highway: string) => Rgb;
  width: (highway: string, zoom: number) => number;
  faded: Rgb;
  /** Colours of the bands, near to far; as many as limits. */
  bands: Rgb[];
};
/** Segments in a texture. */
type Shapes = { texture: WebGLTexture | null; count: number };
/** Arrivals at both ends of some links, and the costs of passing them; whether a link of any row may be passed at all. */
type Reach = { rows: Int32Array; atFrom: Int32Array; atTo: Int32Array; up: Int32Array; down: Int32Array; splits: Float64Array; isBarred: (link: number) => boolean };

const NOBODY = { rows: new Int32Array(0), atFrom: new Int32Array(0), atTo: new Int32Array(0), up: new Int32Array(0), down: new Int32Array(0), splits: new Float64Array(0) };
const UNREACHED = 2147483647;
const FAR = 1e12;
const TEXTURE_WIDTH = 2048;
/** Texels of four floats for each segment: both ends; its shares of the piece, row of values and class; length of the piece. */
const TEXELS = 3;
/** Two triangles. */
const CORNERS = 6;
/** Pixels that no line is wider than. */
const WIDEST = 40;
const MAX_CLASSES = 40;
const MAX_BANDS = 12;

/** All that is the same along a segment is settled at its corners: without a graphics card each pixel counts. */
const VERTEX = `#version 300 es
precision highp float;
uniform highp sampler2D segments, values; uniform int first;
uniform vec2 scale, offset, size; uniform float ratio; uniform float widths[${MAX_CLASSES}];
uniform vec3 inks[${MAX_CLASSES}]; uniform vec3 faded; uniform bool filtered;
out vec2 at; out float along, dash;
flat out float span, half_width; flat out vec3 ink; flat out vec4 value; flat out int barred;
vec4 texel(highp sampler2D rows, int index) { return texelFetch(rows, ivec2(index % ${TEXTURE_WIDTH}, index / ${TEXTURE_WIDTH}), 0); }
void main() {
  int begin = (first + gl_VertexID / ${CORNERS}) * ${TEXELS}, k = gl_VertexID % ${CORNERS};
  vec2 corner = vec2(k == 1 || k >= 4 ? 1.0 : 0.0, k == 2 || k == 3 || k == 5 ? 1.0 : -1.0);
  vec4 ends = texel(segments, begin), of = texel(segments, begin + 1);
  vec2 share = of.xy;
  vec2 a = ends.xy * scale + offset, b = ends.zw * scale + offset;
  vec2 run = b - a; span = length(run);
  vec2 dir = span > 0.0 ? run / span : vec2(1.0, 0.0);
  int street = int(of.w); half_width = widths[street] * 0.5 * ratio;
  float grow = half_width + 1.0;
  at = vec2(corner.x * (span + 2.0 * grow) - grow, corner.y * grow);
  vec2 px = a + dir * at.x + vec2(-dir.y, dir.x) * at.y;
  along = span > 0.0 ? mix(share.x, share.y, clamp(at.x / span, 0.0, 1.0)) : share.x;
  value = texel(values, int(of.z));
  barred = filtered && value.z < 0.0 && value.w < 0.0 ? 1 : 0;
  ink = barred == 1 ? faded : inks[street];
  if (value.z < 0.0) value.x = ${FAR.toExponential()};
  if (value.w < 0.0) value.y = ${FAR.toExponential()};
  dash = mix(share.x, share.y, clamp(at.x / max(span, 1e-6), 0.0, 1.0)) * texel(segments, begin + 2).x * length(scale);
  bool hidden = half_width <= 0.0 || texel(values, int(of.z)).x < -1.5;
  gl_Position = hidden ? vec4(2.0, 2.0, 2.0, 1.0) : vec4(px / size * vec2(2.0, -2.0) + vec2(-1.0, 1.0), 0.0, 1.0);
}`;

const FRAGMENT = `#version 300 es
precision highp float;
in vec2 at; in float along, dash;
flat in float span, half_width; flat in vec3 ink; flat in vec4 value; flat in int barred;
uniform vec3 bands[${MAX_BANDS}]; uniform float limits[${MAX_BANDS}]; uniform int band_count; uniform float ratio;
out vec4 colour;
void main() {
  float beyond = max(max(-at.x, at.x - span), 0.0);
  float alpha = clamp(0.5 + half_width - length(vec2(beyond, at.y)), 0.0, 1.0);
  if (alpha <= 0.0) discard;
  vec3 shown = ink;
  if (barred == 1) {
    if (mod(dash, 7.0 * ratio) > 4.0 * ratio) discard;
  } else if (band_count > 0) {
    float arrival = min(value.x + along * value.z, value.y + (1.0 - along) * value.w);
    if (arrival <= limits[band_count - 1]) {
      int band = band_count - 1;
      while (band > 0 && arrival <= limits[band - 1]) band--;
      shown = bands[band];
    }
  }
  colour = vec4(shown * alpha, alpha);
}`;

export class StreetLayer implements CustomLayerInterface {
  readonly id = "streets";
  readonly type = "custom" as const;
  readonly renderingMode = "2d" as const;
  /** Counts uploads of a new reach, so that tests can wait for one. */
  revision = 0;

  private map: MapLibre | null = null;
  private gl: WebGL2RenderingContext | null = null;
  private program: WebGLProgram | null = null;
  private uniforms: Record<string, WebGLUniformLocation | null> = {};
  private base: Shapes | null = null;
  private extra: Shapes | null = null;
  /** Nothing is read by corner, which still takes an array object of its own. */
  private corners: WebGLVertexArrayObject | null = null;
  private runs: Runs | null = null;
  private texture: WebGLTexture | null = null;

  private readonly classes: string[];
  private readonly links: number;
  private readonly classOf: Int32Array;
  private readonly start: Uint32Array;
  private readonly metres: Float64Array;
  private readonly xy: Float32Array;
  private readonly plane: Plane;
  private look: StreetLook;
  private limits: number[] = [];
  private filtered = false;
  private reach: Reach | null = null;
  private dirty = true;

  constructor(streets: Packed, look: StreetLook) {
    const [lon, lat, metres, start, , , classOf] = streets.arrays as [
      Float64Array,
      Float64Array,
      Float64Array,
      Uint32Array,
      Int32Array,
      Int32Array,
      Int32Array,
    ];
    this.classes = streets.head.classes as string[];
    [this.metres, this.start, this.links, this.classOf] = [metres, start, classOf.length, classOf];
    this.plane = new Plane(lon[0] ?? 0, lat[0] ?? 0);
    this.xy = this.plane.metres(lon, lat);
    this.look = look;
  }

  setLook(look: StreetLook): void {
    this.look = look;
    this.map?.triggerRepaint();
  }

  /** Draw streets in plain ink; with a mode's durations, what it may not use is faded and dashed. */
  showMode(forward: Int32Array | null, backward: Int32Array | null): void {
    this.limits = [];
    this.filtered = forward !== null;
    this.reach = { ...NOBODY, isBarred: (link) => (forward?.[link] ?? 0) < 0 && (backward?.[link] ?? 0) < 0 };
    this.touch();
  }

  /** Colour usable streets by a value of their own; limits are the upper edges of the bands. */
  showValues(values: Float32Array, forward: Int32Array, backward: Int32Array, limits: number[]): void {
    const scaled = Int32Array.from(values, (value) => Math.round(value * 1000));
    const open = (cost: Int32Array) => cost.map((one) => (one < 0 ? -1 : 0));
    this.limits = limits.slice(0, MAX_BANDS).map((limit) => limit * 1000);
    this.filtered = true;
    const rows = Int32Array.from(values, (_, link) => link);
    this.reach = { ...NOBODY, rows, atFrom: scaled, atTo: scaled, up: open(forward), down: open(backward), isBarred: () => true };
    this.touch();
  }

  /** Colour streets by arrival; limits in the unit of the arrivals (ms or mm). */
  showReach(packed: Packed, limits: number[]): void {
    const [rows, atFrom, atTo, up, down, splits, barred] = packed.arrays as [Int32Array, Int32Array, Int32Array, Int32Array, Int32Array, Float64Array, Uint8Array];
    this.limits = limits.slice(0, MAX_BANDS);
    this.filtered = true;
    this.reach = { rows, atFrom, atTo, up, down, splits, isBarred: (link) => (((barred[link >> 3] ?? 0) >> (link & 7)) & 1) === 1 };
    this.touch();
  }

  private touch(): void {
    this.dirty = true;
    this.revision++;
    this.map?.triggerRepaint();
  }

  onAdd(map: MapLibre, gl: WebGL2RenderingContext): void {
    this.map = map;
    this.gl = gl;
    this.program = linked(gl, VERTEX, FRAGMENT);
    for (const name of ["scale", "offset", "size", "ratio", "widths", "values", "inks", "faded", "bands", "limits", "band_count", "filtered", "segments", "first"]) {
      this.uniforms[name] = gl.getUniformLocation(this.program, name);
    }
    this.corners = gl.createVertexArray();
    // From minor to main, so that main streets lie on top.
    const weight = this.classes.map((name) => this.look.width(name, 15));
    this.runs = runsOf({ count: this.links, classOf: this.classOf, start: this.start, xy: this.xy }, weight);
    this.base = this.upload(this.segments(this.runs.order, (link) => [{ row: link, begin: 0, end: 1 }]));
    this.texture = gl.createTexture();
    this.dirty = true;
    if (!this.reach) this.showMode(null, null);
  }

  onRemove(_map: MapLibre, gl: WebGL2RenderingContext): void {
    for (const texture of [this.base?.texture, this.extra?.texture, this.texture]) gl.deleteTexture(texture ?? null);
    gl.deleteVertexArray(this.corners);
    gl.deleteProgram(this.program);
    this.map = null;
    this.gl = null;
  }

  render(gl: WebGL2RenderingContext): void {
    const { map, program, base } = this;
    if (!map || !program || !base) return;
    if (this.dirty) this.uploadValues(gl);
    const pixels = this.plane.onto(map);
    const zoom = map.getZoom();
    const u = this.uniforms;
    gl.useProgram(program);
    putPixels(gl, u, pixels);
    gl.uniform1f(u.ratio ?? null, pixels.ratio);
    const classes = this.classes.slice(0, MAX_CLASSES);
    gl.uniform1fv(u.widths ?? null, classes.map((name) => this.look.width(name, zoom)));
    gl.uniform3fv(u.inks ?? null, classes.flatMap((name) => this.look.ink(name)));
    gl.uniform3fv(u.faded ?? null, this.look.faded);
    if (this.limits.length) {
      gl.uniform3fv(u.bands ?? null, this.limits.flatMap((_, i) => this.look.bands[i] ?? this.look.bands[this.look.bands.length - 1] ?? [0, 0, 0]));
      gl.uniform1fv(u.limits ?? null, this.limits);
    }
    gl.uniform1i(u.band_count ?? null, this.limits.length);
    gl.uniform1i(u.filtered ?? null, this.filtered ? 1 : 0);
    gl.activeTexture(gl.TEXTURE0);
    gl.bindTexture(gl.TEXTURE_2D, this.texture);
    gl.uniform1i(u.values ?? null, 0);
    gl.activeTexture(gl.TEXTURE1);
    gl.uniform1i(u.segments ?? null, 1);
    gl.bindVertexArray(this.corners);
    gl.enable(gl.BLEND);
    gl.blendFunc(gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
    gl.disable(gl.DEPTH_TEST);
    gl.disable(gl.STENCIL_TEST);
    const shown = (of: number) => this.look.width(this.classes[of] ?? "", zoom) > 0;
    this.draw(gl, base, this.runs ? runsInView(this.runs, shown, inView(pixels, WIDEST)) : []);
    if (this.extra) this.draw(gl, this.extra, [[0, this.extra.count]]);
    gl.bindVertexArray(null);
    gl.activeTexture(gl.TEXTURE0);
  }

  /** Draw runs of segments. */
  private draw(gl: WebGL2RenderingContext, part: Shapes, runs: [number, number][]): void {
    gl.bindTexture(gl.TEXTURE_2D, part.texture);
    for (const [begin, count] of runs) {
      gl.uniform1i(this.uniforms.first ?? null, begin);
      gl.drawArrays(gl.TRIANGLES, 0, CORNERS * count);
    }
  }

  /** Segments of the pieces of links, as texels in rows that fill the texture's width. */
  private segments(links: number[], pieces: (link: number) => { row: number; begin: number; end: number }[]): { data: Float32Array; count: number } {
    const most = links.reduce((sum, link) => sum + pieces(link).length * Math.max((this.start[link + 1] ?? 0) - (this.start[link] ?? 0) - 1, 0), 0);
    const data = new Float32Array(Math.max(Math.ceil((most * TEXELS) / TEXTURE_WIDTH), 1) * TEXTURE_WIDTH * 4);
    let count = 0;
    for (const link of links) {
      const a = this.start[link] ?? 0;
      const b = this.start[link + 1] ?? 0;
      const total = this.metres[b - 1] || 1;
      for (const { row, begin, end } of pieces(link)) {
        const span = Math.max(end - begin, 1e-9);
        for (let v = a; v < b - 1; v++) {
          const s0 = (this.metres[v] ?? 0) / total;
          const s1 = (this.metres[v + 1] ?? 0) / total;
          const low = Math.max(s0, begin);
          const high = Math.min(s1, end);
          if (high <= low && !(begin === 0 && end === 1)) continue;
          const width = s1 - s0 || 1;
          const point = (s: number, axis: number) => {
            const from = this.xy[2 * v + axis] ?? 0;
            return from + ((s - s0) / width) * ((this.xy[2 * v + 2 + axis] ?? 0) - from);
          };
          data.set([point(low, 0), point(low, 1), point(high, 0), point(high, 1), (low - begin) / span, (high - begin) / span, row, this.classOf[link] ?? 0, total * span], count * TEXELS * 4);
          count++;
        }
      }
    }
    return { data, count };
  }

  private upload({ data, count }: { data: Float32Array; count: number }): Shapes | null {
    const { gl } = this;
    if (!gl) return null;
    const texture = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, texture);
    putTexels(gl, data);
    return { texture, count };
  }

  /** Put arrivals and costs of all links, and of the pieces of split ones, into the texture. */
  private uploadValues(gl: WebGL2RenderingContext): void {
    const reach = this.reach;
    if (!reach || !this.texture) return;
    this.dirty = false;
    const links = this.links;
    // Links, fractions and arrivals of the points where places stand, by link and fraction.
    const count = reach.splits.length / 3;
    const splits = new Map<number, { at: number; arrival: number }[]>();
    for (let i = 0; i < count; i++) {
      const link = reach.splits[i] as number;
      const split = { at: reach.splits[count + i] as number, arrival: reach.splits[2 * count + i] as number };
      splits.set(link, [...(splits.get(link) ?? []), split]);
    }
    const height = Math.max(Math.ceil((links + count + splits.size) / TEXTURE_WIDTH), 1);
    const data = new Float32Array(TEXTURE_WIDTH * height * 4);
    const arrival = (cost: number | undefined) => (cost === undefined || cost === UNREACHED ? FAR : cost);
    const put = (row: number, begin: number, end: number, up: number, down: number) => data.set([begin, end, up, down], row * 4);
    for (let link = 0; link < links; link++) {
      data[4 * link] = data[4 * link + 1] = FAR;
      data[4 * link + 2] = data[4 * link + 3] = reach.isBarred(link) ? -1 : 0;
    }
    const { rows: known, atFrom, atTo, up, down } = reach;
    for (let i = 0; i < known.length; i++) {
      const link = 4 * (known[i] ?? 0);
      data[link] = arrival(atFrom[i]);
      data[link + 1] = arrival(atTo[i]);
      data[link + 2] = up[i] ?? -1;
      data[link + 3] = down[i] ?? -1;
    }
    const pieces = new Map<number, { row: number; begin: number; end: number }[]>();
    let row = links;
    for (const [link, inner] of splits) {
      const [begins = FAR, ends = FAR, ahead = -1, back = -1] = data.slice(4 * link, 4 * link + 4);
      const cuts = [{ at: 0, arrival: begins }, ...inner, { at: 1, arrival: ends }];
      const mine: { row: number; begin: number; end: number }[] = [];
      for (let i = 0; i + 1 < cuts.length; i++) {
        const [from, to] = [cuts[i], cuts[i + 1]];
        if (!from || !to) continue;
        const [begin, end] = [from.at, to.at];
        const scaled = (cost: number) => (cost < 0 ? -1 : cost * (end - begin));
        put(row, from.arrival, to.arrival, scaled(ahead), scaled(back));
        mine.push({ row, begin, end });
        row++;
      }
      pieces.set(link, mine);
      data[link * 4] = -2; // the whole link is drawn by its pieces instead
    }
    gl.activeTexture(gl.TEXTURE0);
    gl.bindTexture(gl.TEXTURE_2D, this.texture);
    putTexels(gl, data);
    if (this.extra) gl.deleteTexture(this.extra.texture);
    this.extra = pieces.size ? this.upload(this.segments([...pieces.keys()], (link) => pieces.get(link) ?? [])) : null;
  }
}

/** Fill the bound texture with rows of texels. */
function putTexels(gl: WebGL2RenderingContext, data: Float32Array): void {
  gl.pixelStorei(gl.UNPACK_FLIP_Y_WEBGL, false);
  gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, TEXTURE_WIDTH, data.length / 4 / TEXTURE_WIDTH, 0, gl.RGBA, gl.FLOAT, data);
  for (const side of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, side, gl.NEAREST);
}
