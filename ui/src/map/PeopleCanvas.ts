/**
 * People as short stitches that move, on a WebGL2 canvas of their own over the map: a texel for each, from which the vertex shader
 * makes two triangles. Each picture uploads one small texture, and the map beneath is not drawn anew. It is always north up.
 */
import type { Map as MapLibre } from "maplibre-gl";
import { NUMBERS, type People } from "./people";
import { putPixels } from "./Plane";
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

export class PeopleCanvas {
  /** Who was seen in the last picture, what it cost to make in ms, and how many there were: for tests and measurements. */
  seen = 0;
  cost = 0;
  pictures = 0;

  private map: MapLibre | null = null;
  private canvas: HTMLCanvasElement | null = null;
  private gl: WebGL2RenderingContext | null = null;
  private program: WebGLProgram | null = null;
  private uniforms: Record<string, WebGLUniformLocation | null> = {};
  private readonly rows: Float32Array;
  private readonly height: number;
  private ms = 0;
  private inks: Partial<Record<string, number>> = {};
  private colours: Rgb[] = [];
  private page: Rgb = [1, 1, 1];
  private dirty = true;
  private readonly redraw = () => this.draw();

  constructor(readonly people: People) {
    this.height = Math.max(Math.ceil(people.count / TEXTURE_WIDTH), 1);
    this.rows = new Float32Array(TEXTURE_WIDTH * this.height * NUMBERS);
  }

  /** Lie over the canvas of a map, under what stands on it. */
  attach(map: MapLibre): void {
    this.detach();
    const canvas = document.createElement("canvas");
    const gl = canvas.getContext("webgl2", { antialias: false });
    if (!gl) return;
    canvas.className = "people";
    map.getCanvas().after(canvas);
    [this.map, this.canvas, this.gl] = [map, canvas, gl];
    this.program = linked(gl, VERTEX, FRAGMENT);
    for (const name of ["scale", "offset", "size", "half_long", "half_wide", "people", "inks", "page"]) this.uniforms[name] = gl.getUniformLocation(this.program, name);
    gl.bindVertexArray(gl.createVertexArray());
    gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, TEXTURE_WIDTH, this.height, 0, gl.RGBA, gl.FLOAT, this.rows);
    for (const side of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, side, gl.NEAREST);
    gl.enable(gl.BLEND);
    gl.blendFunc(gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
    map.on("move", this.redraw);
    map.on("resize", this.redraw);
    this.dirty = true;
    this.draw();
  }

  detach(): void {
    this.map?.off("move", this.redraw);
    this.map?.off("resize", this.redraw);
    this.canvas?.remove();
    this.gl?.getExtension("WEBGL_lose_context")?.loseContext();
    [this.map, this.canvas, this.gl] = [null, null, null];
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
    this.draw();
  }

  private draw(): void {
    const { map, canvas, gl, program, uniforms: u } = this;
    if (!map || !canvas || !gl || !program) return;
    const begun = performance.now();
    const { width, height } = map.getCanvas();
    if (canvas.width !== width || canvas.height !== height) [canvas.width, canvas.height] = [width, height];
    if (this.dirty) {
      this.dirty = false;
      this.seen = this.people.fill(this.ms, this.inks, this.rows);
      const used = Math.ceil(this.seen / TEXTURE_WIDTH);
      if (used) gl.texSubImage2D(gl.TEXTURE_2D, 0, 0, 0, TEXTURE_WIDTH, used, gl.RGBA, gl.FLOAT, this.rows.subarray(0, used * TEXTURE_WIDTH * NUMBERS));
    }
    gl.viewport(0, 0, width, height);
    gl.clearColor(0, 0, 0, 0);
    gl.clear(gl.COLOR_BUFFER_BIT);
    if (this.seen && this.colours.length) {
      const pixels = this.people.plane.onto(map);
      const near = Math.min(Math.max((map.getZoom() - FAR_ZOOM) / (NEAR_ZOOM - FAR_ZOOM), 0), 1);
      const between = ([far, close]: [number, number]) => (far + near * (close - far)) * pixels.ratio;
      gl.useProgram(program);
      gl.uniform1i(u.people ?? null, 0);
      putPixels(gl, u, pixels);
      gl.uniform1f(u.half_long ?? null, between(HALF_LONG));
      gl.uniform1f(u.half_wide ?? null, between(HALF_WIDE));
      gl.uniform3fv(u.inks ?? null, this.colours.slice(0, MOST_INKS).flat());
      gl.uniform3fv(u.page ?? null, this.page);
      gl.drawArrays(gl.TRIANGLES, 0, CORNERS * this.seen);
    }
    this.cost = performance.now() - begun;
    this.pictures++;
  }
}
