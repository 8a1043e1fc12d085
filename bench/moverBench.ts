import { readFileSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Renderer } from '../demo/renderer.ts';
import { shotFiles } from '../demo/render.ts';
import { Truth, type Shot } from '../demo/shot.ts';
import { Footage } from './footage.ts';
import { MNESTRA, measureProcess, type Usage } from './measureProcess.ts';
import { dilateMask } from './picture.ts';
import { judgeApart, type ToldApart } from './toldApart.ts';

/** Found movers against what truly moves. */
export interface MoverScore {
  /** True parts (a body, a shadow) that are ever larger than a thousandth of the frame, and how many were found. */
  parts: number;
  foundParts: number;
  /** Movers in the list, and those of them that are none. */
  listed: number;
  falseOnes: number;
  /** Share of the true matte that the found one covers once it has grown by 6 px; and how large that is against it. */
  covered: number;
  size: number;
  /** Intersection over union with all true bodies that move, of the matte as found and without its shadows, mean of frames. */
  bodies: { whole: number; alone: number };
  apart: ToldApart;
  search: Usage;
  decode: Usage;
}

/** Grid on which truth is asked, px; and every how many frames. */
const STEP = 6;
const EVERY = 3;
const LEAST_AREA = 0.001;
const GROW_PX = 6;

interface Listed {
  first: number;
  frames: { box: [number, number, number, number] }[];
}

/** Runs `mnestra movers` on a rendered shot and judges its matte and its list. */
export async function benchMovers(shot: Shot, folder: string, scratch: string): Promise<MoverScore> {
  const files = shotFiles(folder, shot);
  const [output, json] = [join(scratch, 'movers.mkv'), join(scratch, 'movers.json')];
  const decode = await measureProcess('ffmpeg', ['-loglevel', 'error', '-i', files.clip, '-f', 'null', '-']);
  const search = await measureProcess('node', [
    MNESTRA,
    ...['movers', '--quiet', '--input', files.clip, '--output', output, '--json', json],
  ]);
  const bare = join(scratch, 'bodies.mkv');
  await measureProcess('node', [
    MNESTRA,
    ...['movers', '--quiet', '--without-shadows', '--input', files.clip, '--output', bare],
  ]);
  const { movers } = JSON.parse(readFileSync(json, 'utf8')) as { movers: Listed[] };
  const found = await Footage.open(output, scratch, 'found', true);
  const matte = await Footage.open(files.matte, scratch, 'matte', true);
  const renderer = await Renderer.create(shot.lens);
  const truth = new Truth(renderer, shot, shot.build(renderer));
  const alone = await Footage.open(bare, scratch, 'alone', true);
  const score = judge(shot, truth, found, matte, movers);
  const bodies = judgeBodies(shot, truth, found, alone);
  for (const f of [found, matte, alone]) await f.close();
  for (const path of [output, bare]) await rm(path);
  const apart = await judgeApart(shot, truth, files.clip, movers.length, scratch);
  return { ...score, bodies, apart, search, decode };
}

function judge(
  shot: Shot,
  truth: Truth,
  found: Footage,
  matte: Footage,
  movers: Listed[],
): Omit<MoverScore, 'search' | 'decode' | 'bodies' | 'apart'> {
  const { width: w, height: h } = shot.lens;
  const parts = new Map<number, { largest: number; all: number; hit: number }>();
  const hits = movers.map(() => 0);
  let [truly, covered, size] = [0, 0, 0];
  for (let t = 0; t < shot.frames; t += EVERY) {
    const moving = truth.moving(t);
    const mask = found.bytes(t);
    const areas = moving.map(() => 0);
    const inBoxes = movers.map(() => 0);
    for (let y = STEP >> 1; y < h; y += STEP) {
      for (let x = STEP >> 1; x < w; x += STEP) {
        moving.forEach(({ part, covers }, k) => {
          if (!covers(x, y)) return;
          areas[k]++;
          const p = parts.get(part) ?? { largest: 0, all: 0, hit: 0 };
          parts.set(part, p);
          p.all++;
          if (mask[y * w + x]) p.hit++;
          movers.forEach((m, i) => (inBoxes[i] += isIn(m, t, x, y) ? 1 : 0));
        });
      }
    }
    moving.forEach(({ part }, k) => {
      const p = parts.get(part);
      if (p) p.largest = Math.max(p.largest, (areas[k] * STEP * STEP) / (w * h));
    });
    movers.forEach((_, i) => (hits[i] += inBoxes[i]));
    // What never moves may be in the true matte as well: only where a moving part is near, it counts.
    const near = nearMoving(moving, w, h);
    const [sure, grown] = [
      matte.bytes(t),
      dilateMask(
        mask.map((v) => (v > 0 ? 1 : 0)),
        w,
        h,
        GROW_PX,
      ),
    ];
    for (let i = 0; i < sure.length; i++) {
      size += grown[i];
      if (sure[i] < 128 || !near(i % w, Math.floor(i / w))) continue;
      truly++;
      covered += grown[i];
    }
  }
  const large = [...parts.values()].filter((p) => p.largest > LEAST_AREA);
  return {
    parts: large.length,
    foundParts: large.filter((p) => p.hit > 0.5 * p.all).length,
    listed: movers.length,
    falseOnes: hits.filter((n) => n === 0).length,
    covered: covered / truly,
    size: size / truly,
  };
}

/** How well what was found agrees with the bodies that move, on a grid. */
function judgeBodies(shot: Shot, truth: Truth, whole: Footage, alone: Footage): MoverScore['bodies'] {
  const { width: w, height: h } = shot.lens;
  const ratios: [number, number][] = [];
  for (let t = 0; t < shot.frames; t += EVERY) {
    const moving = truth.moving(t);
    const bodies = [...truth.bodies(t).values()];
    const masks = [whole.bytes(t), alone.bytes(t)];
    const counts = masks.map(() => ({ both: 0, any: 0 }));
    for (let y = 1; y < h; y += 3) {
      for (let x = 1; x < w; x += 3) {
        const found = masks.map((m) => m[y * w + x] > 0);
        const isBody = bodies.some((covers) => covers(x, y)) && moving.some(({ covers }) => covers(x, y));
        counts.forEach((c, k) => {
          if (found[k] && isBody) c.both++;
          if (found[k] || isBody) c.any++;
        });
      }
    }
    if (counts[0].any > 100) ratios.push(counts.map((c) => c.both / c.any) as [number, number]);
  }
  const mean = (k: 0 | 1): number => ratios.reduce((sum, r) => sum + r[k], 0) / ratios.length;
  return { whole: mean(0), alone: mean(1) };
}

function isIn({ first, frames }: Listed, t: number, x: number, y: number): boolean {
  const box = frames[t - first]?.box;
  return box !== undefined && x >= box[0] && y >= box[1] && x < box[0] + box[2] && y < box[1] + box[3];
}

/** Whether a place lies within a few px of something that moves. */
function nearMoving(
  moving: { covers: (x: number, y: number) => boolean }[],
  w: number,
  h: number,
): (x: number, y: number) => boolean {
  const [cols, rows] = [Math.ceil(w / STEP), Math.ceil(h / STEP)];
  const mask = new Uint8Array(cols * rows);
  for (let k = 0; k < mask.length; k++) {
    const [x, y] = [(k % cols) * STEP + (STEP >> 1), Math.floor(k / cols) * STEP + (STEP >> 1)];
    mask[k] = moving.some((m) => m.covers(x, y)) ? 1 : 0;
  }
  const wide = dilateMask(mask, cols, rows, 1);
  return (x, y) => wide[Math.floor(y / STEP) * cols + Math.floor(x / STEP)] === 1;
}
