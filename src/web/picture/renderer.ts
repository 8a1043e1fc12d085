import type { Planes } from './proxySource.ts';

/** A grey raster over a part of the frame. */
export interface GreyLayer {
  kind: 'grey';
  values: Uint8Array;
  rect: { x: number; y: number; width: number; height: number };
}

/** What can be drawn: decoded planes, a full-size picture, or a grey raster. */
export type Layer = { kind: 'planes'; planes: Planes } | { kind: 'bitmap'; bitmap: ImageBitmap } | GreyLayer;

export type Mode = 'a' | 'wipe' | 'difference';

/** Where and how a frame lies on the canvas. */
export interface Placing {
  /** px of the canvas. */
  width: number;
  height: number;
  /** Where the frame's corner lies, px of the canvas, and px of the canvas per px of the frame. */
  left: number;
  top: number;
  scale: number;
  /** px of the frame. */
  frame: { width: number; height: number };
  /** Where the wipe's edge is, share of the frame's width. */
  wipe: number;
  /** How much a difference is amplified. */
  gain: number;
}

export interface Drawing extends Placing {
  a: Layer;
  b?: Layer;
  mode: Mode;
}

/** Above this many px of the canvas per px of the frame, pixels are shown as squares. */
const SQUARES_FROM = 2;

const VERTEX = `#version 300 es
uniform vec4 place; // frame corner and size, in clip space
out vec2 at;
void main() {
  vec2 corner = vec2(gl_VertexID & 1, gl_VertexID >> 1);
  at = corner;
  gl_Position = vec4(place.xy + corner * place.zw, 0.0, 1.0);
}`;

/** BT.709 limited range to full-range RGB (ITU-R BT.709-6, quantised as in clause 3). */
const FRAGMENT = `#version 300 es
precision highp float;
in vec2 at;
out vec4 colour;
uniform sampler2D a0, a1, a2, b0, b1, b2;
uniform int kindA, kindB, mode;
uniform vec4 partA, partB;
uniform float wipe, gain;

vec3 yuv(float y, float u, float v) {
  float l = (y - 16.0 / 255.0) * (255.0 / 219.0);
  float p = (u - 128.0 / 255.0) * (255.0 / 224.0);
  float q = (v - 128.0 / 255.0) * (255.0 / 224.0);
  return vec3(l + 1.5748 * q, l - 0.1873 * p - 0.4681 * q, l + 1.8556 * p);
}
vec3 look(sampler2D s0, sampler2D s1, sampler2D s2, int kind, vec4 part) {
  if (kind == 0) return yuv(texture(s0, at).r, texture(s1, at).r, texture(s2, at).r);
  if (kind == 1) return texture(s0, at).rgb;
  vec2 q = (at - part.xy) / part.zw;
  if (q.x < 0.0 || q.y < 0.0 || q.x > 1.0 || q.y > 1.0) return vec3(0.0);
  return vec3(texture(s0, q).r);
}
void main() {
  vec3 a = clamp(look(a0, a1, a2, kindA, partA), 0.0, 1.0);
  vec3 c = a;
  if (mode > 0) {
    vec3 b = clamp(look(b0, b1, b2, kindB, partB), 0.0, 1.0);
    c = mode == 1 ? (at.x < wipe ? a : b) : abs(a - b) * gain;
  }
  colour = vec4(c, 1.0);
}`;

const MODES = { a: 0, wipe: 1, difference: 2 } as const;

/** Draws frames with exact colours on a canvas (WebGL 2). */
export class PictureRenderer {
  private readonly gl: WebGL2RenderingContext;
  private readonly program: WebGLProgram;
  private readonly textures: WebGLTexture[];
  private readonly locations = new Map<string, WebGLUniformLocation | null>();
  private readonly uploaded: (unknown[] | undefined)[] = [undefined, undefined];

  /** @throws Error if the browser has no WebGL 2. */
  constructor(private readonly canvas: OffscreenCanvas) {
    const gl = canvas.getContext('webgl2', { alpha: true, antialias: false });
    if (!gl) throw new Error('This browser cannot draw the picture: WebGL 2 is switched off.');
    this.gl = gl;
    this.program = link(gl);
    this.textures = Array.from({ length: 6 }, () => gl.createTexture());
    gl.useProgram(this.program);
    ['a0', 'a1', 'a2', 'b0', 'b1', 'b2'].forEach((name, i) => gl.uniform1i(this.at(name), i));
    gl.bindVertexArray(gl.createVertexArray());
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 1);
    gl.pixelStorei(gl.UNPACK_COLORSPACE_CONVERSION_WEBGL, gl.NONE);
  }

  draw(d: Drawing): void {
    const { gl, canvas } = this;
    if (canvas.width !== d.width || canvas.height !== d.height) {
      canvas.width = d.width;
      canvas.height = d.height;
    }
    gl.viewport(0, 0, d.width, d.height);
    gl.clearColor(0, 0, 0, 0);
    gl.clear(gl.COLOR_BUFFER_BIT);
    const [w, h] = [d.frame.width * d.scale, d.frame.height * d.scale];
    gl.uniform4f(
      this.at('place'),
      (2 * d.left) / d.width - 1,
      1 - (2 * d.top) / d.height,
      (2 * w) / d.width,
      (-2 * h) / d.height,
    );
    const squares = d.scale > SQUARES_FROM;
    this.layer(0, d.a, d.frame, squares);
    if (d.b) this.layer(1, d.b, d.frame, squares);
    gl.uniform1i(this.at('mode'), d.b ? MODES[d.mode] : 0);
    gl.uniform1f(this.at('wipe'), d.wipe);
    gl.uniform1f(this.at('gain'), d.gain);
    gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
  }

  private layer(index: 0 | 1, layer: Layer, frame: Drawing['frame'], squares: boolean): void {
    const { gl } = this;
    const suffix = index === 0 ? 'A' : 'B';
    const kind = { planes: 0, bitmap: 1, grey: 2 }[layer.kind];
    gl.uniform1i(this.at(`kind${suffix}`), kind);
    const sources = this.sourcesOf(layer);
    const same = this.uploaded[index]?.every((s, i) => s === sources[i]) ?? false;
    this.uploaded[index] = sources;
    if (layer.kind === 'grey') {
      const { x, y, width, height } = layer.rect;
      gl.uniform4f(
        this.at(`part${suffix}`),
        x / frame.width,
        y / frame.height,
        width / frame.width,
        height / frame.height,
      );
    }
    const unit = index * 3;
    if (layer.kind === 'planes') {
      const { width, height, y, u, v } = layer.planes;
      const [cw, ch] = [(width + 1) >> 1, (height + 1) >> 1];
      this.plane(unit, squares, same ? undefined : { values: y, width, height });
      this.plane(unit + 1, squares, same ? undefined : { values: u, width: cw, height: ch });
      this.plane(unit + 2, squares, same ? undefined : { values: v, width: cw, height: ch });
    } else if (layer.kind === 'grey') {
      const { width, height } = layer.rect;
      this.plane(unit, squares, same ? undefined : { values: layer.values, width, height });
    } else {
      this.bind(unit, squares);
      if (!same) gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, gl.RGBA, gl.UNSIGNED_BYTE, layer.bitmap);
    }
  }

  private sourcesOf(layer: Layer): unknown[] {
    if (layer.kind === 'planes') return [layer.planes];
    return layer.kind === 'bitmap' ? [layer.bitmap] : [layer.values];
  }

  private plane(unit: number, squares: boolean, data?: { values: Uint8Array; width: number; height: number }): void {
    const { gl } = this;
    this.bind(unit, squares);
    if (!data) return;
    const empty = data.values.length === 0;
    const [w, h] = empty ? [1, 1] : [data.width, data.height];
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R8, w, h, 0, gl.RED, gl.UNSIGNED_BYTE, empty ? new Uint8Array(1) : data.values);
  }

  private bind(unit: number, squares: boolean): void {
    const { gl } = this;
    gl.activeTexture(gl.TEXTURE0 + unit);
    gl.bindTexture(gl.TEXTURE_2D, this.textures[unit]);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, squares ? gl.NEAREST : gl.LINEAR);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
  }

  private at(name: string): WebGLUniformLocation | null {
    let location = this.locations.get(name);
    if (location === undefined) {
      location = this.gl.getUniformLocation(this.program, name);
      this.locations.set(name, location);
    }
    return location;
  }
}

function link(gl: WebGL2RenderingContext): WebGLProgram {
  const program = gl.createProgram();
  for (const [type, source] of [
    [gl.VERTEX_SHADER, VERTEX],
    [gl.FRAGMENT_SHADER, FRAGMENT],
  ] as const) {
    const shader = gl.createShader(type)!;
    gl.shaderSource(shader, source);
    gl.compileShader(shader);
    gl.attachShader(program, shader);
  }
  gl.linkProgram(program);
  if (!gl.getProgramParameter(program, gl.LINK_STATUS)) throw new Error(gl.getProgramInfoLog(program) ?? 'no program');
  return program;
}
