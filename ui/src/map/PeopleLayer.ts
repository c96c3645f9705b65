/**
 * People as short stitches that move, drawn by one small WebGL2 layer: a texel for each, from which the vertex shader makes two
 * triangles. Each picture uploads one small texture. The map is always north up.
 */
import { MercatorCoordinate, type CustomLayerInterface, type Map as MapLibre } from "maplibre-gl";
import { NUMBERS, type People } from "./people";
import { linked } from "./program";
import type { Rgb } from "./StreetLayer";

const TEXTURE_WIDTH = 1024;
const CORNERS = 6;
const MOST_INKS = 8;
/** Pixels: half the length and half the width of a stitch from afar, and close by. */
const HALF_LONG: [number, number] = [2.6, 6];
const HALF_WIDE: [number, number] = [1.5, 2.4];
const [FAR_ZOOM, NEAR_ZOOM] = [12, 16];

const VERTEX = `#version 300 es
precision highp float;
uniform highp sampler2D people; uniform vec2 scale, offset, size; uniform float half_long, half_wide;
out vec2 at; flat out int ink;
void main() {
  int person = gl_VertexID / ${CORNERS}, k = gl_VertexID % ${CORNERS};
  vec2 corner = vec2(k == 1 || k >= 4 ? 1.0 : -1.0, k == 2 || k == 3 || k == 5 ? 1.0 : -1.0);
  vec4 of = texelFetch(people, ivec2(person % ${TEXTURE_WIDTH}, person / ${TEXTURE_WIDTH}), 0);
  at = corner * vec2(half_long + half_wide + 1.5, half_wide + 1.5);
  vec2 dir = vec2(cos(of.z), sin(of.z));
  vec2 px = of.xy * scale + offset + dir * at.x + vec2(-dir.y, dir.x) * at.y;
  ink = int(of.w);
  gl_Position = vec4(px / size * vec2(2.0, -2.0) + vec2(-1.0, 1.0), 0.0, 1.0);
}`;

const FRAGMENT = `#version 300 es
precision highp float;
in vec2 at; flat in int ink;
uniform vec3 inks[${MOST_INKS}]; uniform vec3 page; uniform float half_long, half_wide;
out vec4 colour;
void main() {
  float edge = length(vec2(max(abs(at.x) - half_long, 0.0), at.y)) - half_wide;
  float alpha = clamp(1.5 - edge, 0.0, 1.0);
  if (alpha <= 0.0) discard;
  // A thin edge of paper keeps a stitch apart from streets and from other stitches.
  vec3 shade = mix(inks[ink], page, clamp(edge + 0.5, 0.0, 1.0));
  colour = vec4(shade * alpha, alpha);
}`;

export class PeopleLayer implements CustomLayerInterface {
  readonly id = "people";
  readonly type = "custom" as const;
  readonly renderingMode = "2d" as const;
  /** Who was seen in the last picture, and what it cost to make, in ms: for tests and measurements. */
  seen = 0;
  cost = 0;

  private map: MapLibre | null = null;
  private program: WebGLProgram | null = null;
  private corners: WebGLVertexArrayObject | null = null;
  private texture: WebGLTexture | null = null;
  private uniforms: Record<string, WebGLUniformLocation | null> = {};
  private readonly rows: Float32Array;
  private readonly height: number;
  private ms = 0;
  private inks: Partial<Record<string, number>> = {};
  private colours: Rgb[] = [];
  private page: Rgb = [1, 1, 1];
  private dirty = true;

  constructor(readonly people: People) {
    this.height = Math.max(Math.ceil(people.count / TEXTURE_WIDTH), 1);
    this.rows = new Float32Array(TEXTURE_WIDTH * this.height * NUMBERS);
  }

  /** Colours of the states that are to be seen. */
  setInks(inks: [string, Rgb][], page: Rgb): void {
    this.inks = Object.fromEntries(inks.map(([state], i) => [state, i]));
    this.colours = inks.map(([, colour]) => colour);
    this.page = page;
    this.show(this.ms);
  }

  /** Show a moment of the day, in ms. */
  show(ms: number): void {
    this.ms = ms;
    this.dirty = true;
    this.map?.triggerRepaint();
  }

  onAdd(map: MapLibre, gl: WebGL2RenderingContext): void {
    this.map = map;
    this.program = linked(gl, VERTEX, FRAGMENT);
    for (const name of ["scale", "offset", "size", "half_long", "half_wide", "people", "inks", "page"]) this.uniforms[name] = gl.getUniformLocation(this.program, name);
    this.corners = gl.createVertexArray();
    this.texture = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, this.texture);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, TEXTURE_WIDTH, this.height, 0, gl.RGBA, gl.FLOAT, this.rows);
    for (const side of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, side, gl.NEAREST);
    this.dirty = true;
  }

  onRemove(_map: MapLibre, gl: WebGL2RenderingContext): void {
    gl.deleteTexture(this.texture);
    gl.deleteVertexArray(this.corners);
    gl.deleteProgram(this.program);
    this.map = null;
  }

  render(gl: WebGL2RenderingContext): void {
    const { map, program, uniforms: u } = this;
    if (!map || !program) return;
    const begun = performance.now();
    gl.activeTexture(gl.TEXTURE0);
    gl.bindTexture(gl.TEXTURE_2D, this.texture);
    if (this.dirty) {
      this.dirty = false;
      this.seen = this.people.fill(this.ms, this.inks, this.rows);
      gl.pixelStorei(gl.UNPACK_FLIP_Y_WEBGL, false);
      gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
      const used = Math.ceil(this.seen / TEXTURE_WIDTH);
      if (used) gl.texSubImage2D(gl.TEXTURE_2D, 0, 0, 0, TEXTURE_WIDTH, used, gl.RGBA, gl.FLOAT, this.rows.subarray(0, used * TEXTURE_WIDTH * NUMBERS));
    }
    if (!this.seen || !this.colours.length) return;
    const canvas = map.getCanvas();
    const ratio = canvas.width / Math.max(canvas.clientWidth, 1);
    const world = 512 * 2 ** map.getZoom() * ratio;
    const centre = MercatorCoordinate.fromLngLat(map.getCenter());
    const near = Math.min(Math.max((map.getZoom() - FAR_ZOOM) / (NEAR_ZOOM - FAR_ZOOM), 0), 1);
    const between = ([far, close]: [number, number]) => (far + near * (close - far)) * ratio;
    const { unit, origin } = this.people;
    gl.useProgram(program);
    gl.uniform1i(u.people ?? null, 0);
    gl.uniform2f(u.scale ?? null, unit * world, unit * world);
    gl.uniform2f(u.offset ?? null, (origin.x - centre.x) * world + canvas.width / 2, (origin.y - centre.y) * world + canvas.height / 2);
    gl.uniform2f(u.size ?? null, canvas.width, canvas.height);
    gl.uniform1f(u.half_long ?? null, between(HALF_LONG));
    gl.uniform1f(u.half_wide ?? null, between(HALF_WIDE));
    gl.uniform3fv(u.inks ?? null, this.colours.slice(0, MOST_INKS).flat());
    gl.uniform3fv(u.page ?? null, this.page);
    gl.bindVertexArray(this.corners);
    gl.enable(gl.BLEND);
    gl.blendFunc(gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
    gl.disable(gl.DEPTH_TEST);
    gl.disable(gl.STENCIL_TEST);
    gl.drawArrays(gl.TRIANGLES, 0, CORNERS * this.seen);
    gl.bindVertexArray(null);
    this.cost = performance.now() - begun;
  }
}
