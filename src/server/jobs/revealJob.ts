import { rename, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { CoverageData, RevealData, RevealTotal } from '../../contract/takes.ts';
import { cutsOf } from '../../core/motion/scenes.ts';
import type { RevealMap } from '../../core/reveal/reveal.ts';
import { TakeWork, type RevealResult } from '../../media/take.ts';
import { engineSettings } from '../services/engineSettings.ts';
import { mattesOf, storedClip } from '../services/layers.ts';
import type { StoredClip } from '../services/frameStores.ts';
import { Clip } from '../store/clip.ts';
import { Reveal } from '../store/reveal.ts';
import { Shot } from '../store/shot.ts';
import { watchCoverage } from './watchCoverage.ts';
import { explainFailure, isForTheNext, lookOften, type JobContext } from './runWork.ts';

/** Share of the work before the frames are there. */
const DECODE_SHARE = 0.4;
const STAGE_SHARE: Record<string, [number, number]> = {
  mattes: [DECODE_SHARE, 0.1],
  motion: [DECODE_SHARE + 0.1, 0.4],
  reveal: [DECODE_SHARE + 0.5, 0.05],
  gather: [DECODE_SHARE + 0.55, 0.05],
};

/** Computes the reveal that was asked for last. A newer question, whose key differs, stops it. */
export async function runReveal(shotId: string, removalId: string, context: JobContext): Promise<void> {
  const row = await Reveal.findOne({ where: { shotId, removalId } });
  if (row?.state !== 'working') return;
  const { key } = row;
  const stop = new AbortController();
  const signal = AbortSignal.any([context.signal, stop.signal]);
  let progress = 0;
  const save = async (values: object): Promise<void> => {
    await Reveal.update(values, { where: { shotId, removalId, key } });
    await context.tell({ kind: 'reveal', id: removalId, shotId });
  };
  const looks = lookOften(async () => {
    const now = await Reveal.findOne({ where: { shotId, removalId }, attributes: ['key'] });
    if (now?.key !== key) stop.abort();
    else await save({ progress });
  });
  try {
    await compute(row, context, signal, (done) => (progress = done));
    await looks.end();
    await save({ state: 'ready', progress: 1 });
  } catch (error) {
    await looks.end();
    if (isForTheNext(error, context)) throw error;
    if (!stop.signal.aborted) await save({ state: 'failed', error: explainFailure(error) });
  }
}

async function compute(
  { shotId, removalId, key, task: { marks, beside, first, count, search } }: Reveal,
  { files, stores }: JobContext,
  signal: AbortSignal,
  report: (done: number) => void,
): Promise<void> {
  const shot = (await Shot.findByPk(shotId, { paranoid: false }))!;
  const clip = storedClip((await Clip.findByPk(shot.clipId, { paranoid: false }))!, files);
  const frames = await stores.small({ clip, first, count }, signal);
  report(DECODE_SHARE);
  const shadowStays = marks.shadowStays === true;
  const drawn = mattesOf(clip, files, removalId, marks, first, count, beside);
  const path = join(files.scratch, `${key}.mattes`);
  try {
    await drawn.write(path, signal);
    const engine = new TakeWork({
      frames,
      mattes: { path, format: drawn.format },
      count,
      settings: engineSettings(marks.settings, first, count, clip.info.rotation, files),
      signal,
      onProgress: ({ stage, done }) => {
        const [from, share] = STAGE_SHARE[stage];
        report(from + share * done);
      },
    });
    const result = await engine.reveal().finally(() => engine.close());
    const watched =
      search === undefined
        ? null
        : await watchCoverage(search, mattesOf(clip, files, removalId, marks, first, count), frames, {
            files,
            clip,
            first,
            shadowStays,
            signal,
          });
    const { data, maps } = packReveal(key, first, clip, result, watched);
    await writeNamed(files.reveal(key, 'maps'), maps);
    await writeNamed(files.reveal(key, 'json'), JSON.stringify(data));
  } finally {
    await rm(path, { force: true });
  }
}

/** A reveal as the page draws it: upright, and only the parts of the maps around the holes. */
export function packReveal(
  key: string,
  first: number,
  { info }: StoredClip,
  { reveal, stays, motion, carried, cell, cols, rows, best }: RevealResult,
  coverage: CoverageData | null = null,
): { data: RevealData; maps: Uint8Array } {
  const turn = new MapTurn(cols, rows, info.rotation);
  const parts: Uint8Array[] = [];
  let offset = 0;
  const frames = reveal.map(({ map, hole, seen, thin, unseen }) => {
    const part = turn.crop(map);
    const entry = { hole, seen, thin, unseen, ...part.box, offset };
    offset += part.values.length;
    parts.push(part.values);
    return entry;
  });
  const data: RevealData = {
    key,
    first,
    tripod: motion.tripod,
    bars: stays.bars !== undefined,
    fixed: stays.fixed !== undefined,
    carried,
    cuts: cutsOf(motion.scenes).map((t) => first + t),
    total: totalOf(reveal),
    best: best && best.of > 0 ? { frame: first + best.frame, share: best.served / best.of } : null,
    cell,
    ...turn.origin(cell, info.width, info.height),
    coverage,
    frames,
  };
  return { data, maps: Buffer.concat(parts) };
}

function totalOf(reveal: RevealMap[]): RevealTotal {
  const sum = { hole: 0, seen: 0, thin: 0, unseen: 0 };
  for (const r of reveal) for (const k of ['hole', 'seen', 'thin', 'unseen'] as const) sum[k] += r[k];
  return sum;
}

interface MapPart {
  box: { x: number; y: number; width: number; height: number };
  values: Uint8Array;
}

/** Turns maps of the frames as stored upright. */
class MapTurn {
  private readonly turned: boolean;
  readonly cols: number;
  readonly rows: number;

  constructor(
    private readonly fromCols: number,
    private readonly fromRows: number,
    private readonly rotation: number,
  ) {
    this.turned = rotation % 180 === 90;
    this.cols = this.turned ? fromRows : fromCols;
    this.rows = this.turned ? fromCols : fromRows;
  }

  /** Where the upright map's corner lies: cells reach beyond the right and lower side of the frame as stored. */
  origin(cell: number, width: number, height: number): { originX: number; originY: number } {
    const [overX, overY] = [width - this.fromCols * cell, height - this.fromRows * cell];
    if (this.rotation === 90) return { originX: overY, originY: 0 };
    if (this.rotation === 180) return { originX: overX, originY: overY };
    if (this.rotation === 270) return { originX: 0, originY: overX };
    return { originX: 0, originY: 0 };
  }

  crop(map: Uint8Array): MapPart {
    const { cols, rows } = this;
    const upright = this.upright(map);
    let [x0, y0, x1, y1] = [cols, rows, -1, -1];
    upright.forEach((level, i) => {
      if (level === 0) return;
      const [x, y] = [i % cols, Math.floor(i / cols)];
      [x0, y0, x1, y1] = [Math.min(x0, x), Math.min(y0, y), Math.max(x1, x), Math.max(y1, y)];
    });
    if (x1 < 0) return { box: { x: 0, y: 0, width: 0, height: 0 }, values: new Uint8Array() };
    const box = { x: x0, y: y0, width: x1 - x0 + 1, height: y1 - y0 + 1 };
    const values = new Uint8Array(box.width * box.height);
    for (let y = 0; y < box.height; y++) {
      const from = (y0 + y) * cols + x0;
      values.set(upright.subarray(from, from + box.width), y * box.width);
    }
    return { box, values };
  }

  private upright(map: Uint8Array): Uint8Array {
    if (this.rotation === 0) return map;
    const { cols, rows, fromCols, fromRows } = this;
    const out = new Uint8Array(map.length);
    for (let y = 0; y < rows; y++) {
      for (let x = 0; x < cols; x++) {
        const [u, v] =
          this.rotation === 90
            ? [y, fromRows - 1 - x]
            : this.rotation === 180
              ? [fromCols - 1 - x, fromRows - 1 - y]
              : [fromCols - 1 - y, x];
        out[y * cols + x] = map[v * fromCols + u];
      }
    }
    return out;
  }
}

async function writeNamed(path: string, data: Uint8Array | string): Promise<void> {
  const part = `${path}.part`;
  await writeFile(part, data, { flush: true });
  await rename(part, path);
}
