import { Renderer } from '../demo/renderer.ts';
import { shotFiles } from '../demo/render.ts';
import { Truth, type Shot } from '../demo/shot.ts';
import { FILL_DEFAULTS } from '../src/core/fill/settings.ts';
import { median } from '../src/core/geometry/linear.ts';
import { CameraMotion } from '../src/core/motion/cameraMotion.ts';
import { TakeWork } from '../src/media/take.ts';
import { Footage } from './footage.ts';

/** Distances between the two frames of a pair, frames, and pairs that are looked at for each. */
const DISTANCES = [1, 10, 50, 100];
const PAIRS = 6;
/** Grid on which the motion is compared, px. */
const GRID = 48;

/** How far the measured motion leads from the true one, px, over all places of the picture that both frames show. */
export interface CameraScore {
  distance: number;
  median: number;
  /** The error that nine of ten places stay under: large where the picture has depth. */
  ninth: number;
  places: number;
}

/** Measures the camera of a shot as a full take does, and compares it with the one that filmed it. */
export async function benchCamera(shot: Shot, folder: string, scratch: string): Promise<CameraScore[]> {
  const files = shotFiles(folder, shot);
  const clip = await Footage.open(files.clip, scratch, 'camera-clip');
  const matte = await Footage.open(files.matte, scratch, 'camera-matte', true);
  const [frames, mattes] = [clip, matte].map(({ store }) => ({ path: store.path, format: store.format }));
  const work = new TakeWork({
    frames,
    mattes,
    count: clip.store.count,
    settings: FILL_DEFAULTS,
  });
  try {
    const motion = new CameraMotion(await work.cameraMotion());
    const renderer = await Renderer.create(shot.lens);
    const truth = new Truth(renderer, shot, shot.build(renderer));
    return DISTANCES.filter((d) => d < shot.frames).map((d) => scoreAt(d, shot, truth, motion));
  } finally {
    await work.close();
    await clip.close();
    await matte.close();
  }
}

function scoreAt(distance: number, shot: Shot, truth: Truth, motion: CameraMotion): CameraScore {
  const last = shot.frames - 1 - distance;
  const errors: number[] = [];
  for (let k = 0; k < PAIRS; k++) {
    const from = Math.round((k * last) / (PAIRS - 1));
    errors.push(...errorsBetween(from, from + distance, shot, truth, motion));
  }
  errors.sort((a, b) => a - b);
  return {
    distance,
    median: median(errors),
    ninth: errors[Math.floor(0.9 * errors.length)] ?? NaN,
    places: errors.length,
  };
}

function errorsBetween(from: number, to: number, shot: Shot, truth: Truth, motion: CameraMotion): number[] {
  const out: number[] = [];
  for (let y = GRID / 2; y < shot.lens.height; y += GRID) {
    for (let x = GRID / 2; x < shot.lens.width; x += GRID) {
      const point = truth.surface(from, x, y);
      const place = point && truth.place(to, point);
      if (!place) continue;
      const found = Float64Array.of(x, y);
      motion.map(from, to, found);
      out.push(Math.hypot(found[0] - place.x, found[1] - place.y));
    }
  }
  return out;
}
