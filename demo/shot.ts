import { invert3, project, type Matrix3 } from '../src/core/geometry/homography.ts';
import { distort, planeToPixel, undistort, type Lens, type Pose } from './camera.ts';
import { rowTime, type Layer, type Renderer, type Sensor } from './renderer.ts';

/** Something in the picture. */
export interface Thing {
  layer: Layer;
  /** `still`: part of the world; `moves`: passes and stays in the film; `gone`: is to be removed; `light`: multiplies. */
  kind: 'still' | 'moves' | 'gone' | 'light';
  /** Name of the walker, vehicle or object whose body (not shadow) this is, or a part of it. */
  body?: string;
}

/** A part of the world that does not move. */
export const still = (texture: Layer['texture'], plane: Layer['plane']): Thing => ({
  kind: 'still',
  layer: { texture, plane },
});

/** A scene as filmed by one camera: everything needed to draw any moment of it. */
export interface Scene {
  sensor: Sensor;
  pose(time: number): Pose;
  /** How far the picture is out of focus, as the sigma of a Gaussian, px; sharp without it. */
  defocus?(time: number): number;
  /** Back to front. */
  things(time: number): Thing[];
}

/** Recipe of a demo shot. */
export interface Shot {
  name: string;
  lens: Lens;
  frames: number;
  /** Frames per second, nominal. */
  rate: number;
  /** Time of each frame for a clip with variable rate, seconds. */
  times?: number[];
  /** Clockwise turn that a player applies. */
  rotation?: number;
  /** Sub-frames that a shutter's opening is drawn with. */
  subframes: number;
  /** What the camera writes: file ending, codec arguments for ffmpeg. */
  file: string;
  codec: string[];
  /** Written as log, 10 bits a sample; a .cube table that shows it lies beside it. */
  log?: boolean;
  build(renderer: Renderer): Scene;
  /** Lays something over a frame before it is written. @param rgb - 8 bits a sample, row after row; not for log. */
  laidOver?(rgb: Uint8Array, lens: Lens, frame: number): void;
}

export const frameTime = (shot: Shot, frame: number): number => shot.times?.[frame] ?? frame / shot.rate;

/** The shot made smaller and shorter, from the same recipe. */
export function scaled(shot: Shot, factor: number, frames: number): Shot {
  const { lens } = shot;
  const even = (v: number): number => 2 * Math.round((v * factor) / 2);
  return {
    ...shot,
    frames: Math.min(frames, shot.frames),
    times: shot.times?.slice(0, frames),
    lens: { ...lens, width: even(lens.width), height: even(lens.height), focal: lens.focal * factor },
  };
}

/** A point of the still world: a layer and the place on it. */
export interface SurfacePoint {
  layer: number;
  u: number;
  v: number;
}

/** What is where, in truth: for measuring, never for filling. */
export class Truth {
  private readonly still: Layer[];
  private readonly views = new Map<number, { toPlane: Matrix3; toPixel: Matrix3 }>();

  constructor(
    private readonly renderer: Renderer,
    private readonly shot: Shot,
    private readonly scene: Scene,
  ) {
    this.still = scene
      .things(0)
      .filter((t) => t.kind === 'still')
      .map((t) => t.layer);
  }

  /** Homographies between a still layer's plane and the pixels of a row, kept where all rows share one moment. */
  private view(frame: number, layer: number, y: number): { toPlane: Matrix3; toPixel: Matrix3 } {
    const { lens } = this.shot;
    const key = frame * this.still.length + layer;
    const held = lens.readout === 0 ? this.views.get(key) : undefined;
    if (held) return held;
    const pose = this.scene.pose(frameTime(this.shot, frame) + rowTime(lens, y));
    const toPixel = planeToPixel(pose, this.still[layer].plane, lens.focal);
    const view = { toPlane: invert3(toPixel), toPixel };
    if (lens.readout === 0) this.views.set(key, view);
    return view;
  }

  /** The still surface seen at a pixel when nothing else is in the way. */
  surface(frame: number, x: number, y: number): SurfacePoint | undefined {
    const { lens } = this.shot;
    const [ux, uy] = undistort(lens, x, y);
    for (let layer = this.still.length - 1; layer >= 0; layer--) {
      const { texture } = this.still[layer];
      const m = this.view(frame, layer, y).toPlane;
      if (m[6] * ux + m[7] * uy + m[8] <= 0) continue;
      const p = project(m, ux, uy);
      if (texture.repeat) return { layer, u: p.x, v: p.y };
      const [tx, ty] = [Math.round(p.x * texture.width - 0.5), Math.round(p.y * texture.height - 0.5)];
      if (tx < 0 || ty < 0 || tx >= texture.width || ty >= texture.height) continue;
      if (this.renderer.f32(texture.at + (ty * texture.width + tx) * 16, 4)[3] > 0.5) return { layer, u: p.x, v: p.y };
    }
    return undefined;
  }

  /** Whether something that moves by itself and stays in the film covers or shades a pixel of a frame. */
  movers = (frame: number): ((x: number, y: number) => boolean) => this.covering(frame, 'moves');

  /** Whether something that is to go covers or shades a pixel of a frame. */
  gone = (frame: number): ((x: number, y: number) => boolean) => this.covering(frame, 'gone');

  inView({ x, y }: { x: number; y: number }): boolean {
    const { width, height } = this.shot.lens;
    return x >= 0 && y >= 0 && x <= width - 1 && y <= height - 1;
  }

  /** What moves by itself in the world, each part (a body, its shadow) with a number of its own, whether it stays or goes. */
  moving(frame: number): { part: number; covers: (x: number, y: number) => boolean }[] {
    const partsAt = (t: number): Layer[] =>
      this.scene
        .things(t)
        .filter(({ kind }) => kind === 'moves' || kind === 'gone')
        .map(({ layer }) => layer);
    const planes = [0, this.shot.frames - 1].map((f) =>
      partsAt(frameTime(this.shot, f)).map(({ plane }) => JSON.stringify(plane)),
    );
    const time = frameTime(this.shot, frame);
    return partsAt(time).flatMap((layer, part) =>
      planes[0][part] === planes[1][part] ? [] : [{ part, covers: this.coveredBy([layer], time) }],
    );
  }

  /** The bodies of the scene, by name: where a frame shows each, in front of all else. */
  bodies(frame: number): Map<string, (x: number, y: number) => boolean> {
    const time = frameTime(this.shot, frame);
    const things = this.scene.things(time).filter((t) => t.kind !== 'light');
    const covers = things.map(({ layer }) => this.coveredBy([layer], time, 0.5));
    const names = new Set(things.flatMap(({ body }) => body ?? []));
    const seen = (name: string) => (x: number, y: number) => things.findLast((_, k) => covers[k](x, y))?.body === name;
    return new Map([...names].map((name) => [name, seen(name)]));
  }

  private covering(frame: number, kind: Thing['kind']): (x: number, y: number) => boolean {
    const time = frameTime(this.shot, frame);
    const things = this.scene.things(time).filter((t) => t.kind === kind);
    return this.coveredBy(
      things.map((t) => t.layer),
      time,
    );
  }

  private coveredBy(layers: Layer[], time: number, opacity = 0.01): (x: number, y: number) => boolean {
    const { lens } = this.shot;
    const toPlane = (plane: Layer['plane'], y: number): Matrix3 =>
      invert3(planeToPixel(this.scene.pose(time + rowTime(lens, y)), plane, lens.focal));
    const held = lens.readout === 0 ? new Map(layers.map((l) => [l, toPlane(l.plane, 0)])) : undefined;
    return (x, y) => {
      const [ux, uy] = undistort(lens, x, y);
      return layers.some((layer) => {
        const { texture } = layer;
        const m = held?.get(layer) ?? toPlane(layer.plane, y);
        const p = project(m, ux, uy);
        const [tx, ty] = [Math.round(p.x * texture.width - 0.5), Math.round(p.y * texture.height - 0.5)];
        if (tx < 0 || ty < 0 || tx >= texture.width || ty >= texture.height) return false;
        return this.renderer.f32(texture.at + (ty * texture.width + tx) * 16, 4)[3] > opacity;
      });
    };
  }

  /** Where a frame shows the plane of a layer that is seen at a pixel of another frame, hidden or not. */
  follow(layer: number, from: number, x: number, y: number, to: number): { x: number; y: number } {
    const [ux, uy] = undistort(this.shot.lens, x, y);
    const p = project(this.view(from, layer, y).toPlane, ux, uy);
    return this.pixel(to, { layer, u: p.x, v: p.y });
  }

  /** The pixel at which a frame shows a point, or undefined if something still hides it or it is out of view. */
  place(frame: number, point: SurfacePoint): { x: number; y: number } | undefined {
    const at = this.pixel(frame, point);
    if (!this.inView(at)) return undefined;
    return this.surface(frame, at.x, at.y)?.layer === point.layer ? at : undefined;
  }

  private pixel(frame: number, point: SurfacePoint): { x: number; y: number } {
    const { lens } = this.shot;
    let y = lens.height / 2;
    let at = { x: 0, y };
    // The row decides when it was read: two steps settle it.
    for (let i = 0; i < (lens.readout > 0 ? 3 : 1); i++) {
      const p = project(this.view(frame, point.layer, y).toPixel, point.u, point.v);
      const [x, py] = distort(lens, p.x, p.y);
      at = { x, y: py };
      y = py;
    }
    return at;
  }
}
