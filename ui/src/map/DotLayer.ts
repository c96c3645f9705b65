/** Dots drawn as they are: a point for the graphics card each, with neither tiles nor a worker. */
import type { CustomLayerInterface, Map as MapLibre } from "maplibre-gl";
import type { Dots } from "./dots";
import { rgb } from "./look";
import { Plane, putPixels } from "./Plane";
import { linked } from "./program";

/** Steps of the radius to a pixel: it is kept in a byte beside the colour. */
const STEPS = 16;
/** Zooms from and up to which dots grow, and to how much: close by they lie apart, and their colour is to be told. */
const [GROW_FROM, GROW_TO, GROWN] = [14, 17, 2];

const VERTEX = `#version 300 es
precision highp float;
in vec2 spot; in vec4 look;
uniform vec2 scale, offset, size; uniform float grown;
flat out vec3 ink; flat out float radius, square;
void main() {
  ink = look.rgb; radius = look.a * 255.0 / ${STEPS}.0 * grown; square = 2.0 * radius + 2.0;
  gl_Position = vec4((spot * scale + offset) / size * vec2(2.0, -2.0) + vec2(-1.0, 1.0), 0.0, 1.0);
  gl_PointSize = square;
}`;

const FRAGMENT = `#version 300 es
precision highp float;
flat in vec3 ink; flat in float radius, square;
out vec4 colour;
void main() {
  float alpha = clamp(0.5 + radius - length((gl_PointCoord - 0.5) * square), 0.0, 1.0);
  if (alpha <= 0.0) discard;
  colour = vec4(ink * alpha, alpha);
}`;

export class DotLayer implements CustomLayerInterface {
  readonly id = "dots";
  readonly type = "custom" as const;
  readonly renderingMode = "2d" as const;
  /** How many dots the last picture had, so that tests can wait for them. */
  drawn = 0;

  private map: MapLibre | null = null;
  private program: WebGLProgram | null = null;
  private uniforms: Record<string, WebGLUniformLocation | null> = {};
  private columns: WebGLVertexArrayObject | null = null;
  private buffers: WebGLBuffer[] = [];
  private plane: Plane | null = null;
  private dirty = true;

  constructor(private dots: Dots) {}

  show(dots: Dots): void {
    this.dots = dots;
    this.dirty = true;
    this.map?.triggerRepaint();
  }

  onAdd(map: MapLibre, gl: WebGL2RenderingContext): void {
    this.map = map;
    this.program = linked(gl, VERTEX, FRAGMENT);
    for (const name of ["scale", "offset", "size", "grown"]) this.uniforms[name] = gl.getUniformLocation(this.program, name);
    this.columns = gl.createVertexArray();
    this.dirty = true;
  }

  onRemove(_map: MapLibre, gl: WebGL2RenderingContext): void {
    for (const buffer of this.buffers) gl.deleteBuffer(buffer);
    gl.deleteVertexArray(this.columns);
    gl.deleteProgram(this.program);
    this.buffers = [];
    this.map = null;
  }

  render(gl: WebGL2RenderingContext): void {
    const { map, program, columns } = this;
    if (!map || !program) return;
    gl.useProgram(program);
    gl.bindVertexArray(columns);
    if (this.dirty) this.upload(gl, program);
    this.drawn = this.plane ? this.dots.kind.length : 0;
    if (this.plane) {
      const pixels = this.plane.onto(map);
      putPixels(gl, this.uniforms, pixels);
      const near = Math.min(Math.max((map.getZoom() - GROW_FROM) / (GROW_TO - GROW_FROM), 0), 1);
      gl.uniform1f(this.uniforms.grown ?? null, pixels.ratio * (1 + near * (GROWN - 1)));
      gl.enable(gl.BLEND);
      gl.blendFunc(gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
      gl.disable(gl.DEPTH_TEST);
      gl.disable(gl.STENCIL_TEST);
      gl.drawArrays(gl.POINTS, 0, this.drawn);
    }
    gl.bindVertexArray(null);
  }

  /** Put where the dots lie and how they look into the columns that the shader reads. */
  private upload(gl: WebGL2RenderingContext, program: WebGLProgram): void {
    this.dirty = false;
    const { lon, lat, kind, kinds } = this.dots;
    const first = lon.findIndex(Number.isFinite);
    this.plane = first < 0 ? null : new Plane(lon[first] ?? 0, lat[first] ?? 0);
    if (!this.plane) return;
    const inks = kinds.map(({ colour, radius }) => [...rgb(colour).map((part) => Math.round(part * 255)), Math.round(radius * STEPS)]);
    const looks = new Uint8Array(kind.length * 4);
    for (let i = 0; i < kind.length; i++) looks.set(inks[kind[i] ?? 0] ?? [], i * 4);
    for (const buffer of this.buffers) gl.deleteBuffer(buffer);
    const column = (name: string, data: Float32Array<ArrayBuffer> | Uint8Array<ArrayBuffer>, size: number, type: number) => {
      const buffer = gl.createBuffer();
      const at = gl.getAttribLocation(program, name);
      gl.bindBuffer(gl.ARRAY_BUFFER, buffer);
      gl.bufferData(gl.ARRAY_BUFFER, data, gl.STATIC_DRAW);
      gl.enableVertexAttribArray(at);
      gl.vertexAttribPointer(at, size, type, true, 0, 0);
      return buffer;
    };
    this.buffers = [column("spot", this.plane.metres(lon, lat), 2, gl.FLOAT), column("look", looks, 4, gl.UNSIGNED_BYTE)];
  }
}
