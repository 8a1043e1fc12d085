import { readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Renderer } from '../demo/renderer.ts';
import { shotFiles } from '../demo/render.ts';
import { Truth, type Shot } from '../demo/shot.ts';
import { readTrackCsv, type TrackRow } from '../src/core/tracking/trackTable.ts';
import { measureProcess, type Usage } from './measureProcess.ts';

/** A region whose true way is known. */
interface Region {
  name: string;
  frame: number;
  /** Upper left corner and side, px. */
  x: number;
  y: number;
  side: number;
  model: string;
}

export interface TrackScore {
  region: string;
  /** Corner errors of the frames in which at least half of the region is seen, px. */
  mean: number;
  /** Mean of the last five such frames at either end. */
  end: number;
  /** Mean over frames in which a third to nine tenths of it is seen. */
  partlyHidden: number;
  frames: number;
  /** Of the frames with a confidence above 0.8: how many are right within a pixel. */
  sure: number;
  sureAndRight: number;
  /** Of the frames in which less than a tenth is seen: how many have a confidence below 0.3. */
  gone: number;
  goneAndLost: number;
}

/** Scores of a shot's regions, and the CPU time of the first, beside that of decoding the clip. */
export interface Tracks {
  scores: TrackScore[];
  decode: Usage;
  track: Usage;
}

/** Regions on the still world, by shot: large ones, some that are crossed by something, and small ones. */
const REGIONS: Record<string, Region[]> = {
  granary: [
    { name: 'bricks', frame: 0, x: 1120, y: 560, side: 200, model: 'perspective' },
    { name: 'behind the post', frame: 0, x: 830, y: 480, side: 200, model: 'perspective' },
    { name: 'hatch', frame: 60, x: 1180, y: 500, side: 200, model: 'perspective' },
    { name: 'brick of 12 px', frame: 0, x: 1180, y: 640, side: 12, model: 'shift' },
  ],
  boardwalk: [
    { name: 'planks', frame: 0, x: 900, y: 800, side: 200, model: 'perspective' },
    { name: 'planks on the right', frame: 62, x: 1350, y: 780, side: 200, model: 'perspective' },
    { name: 'ground', frame: 62, x: 300, y: 860, side: 200, model: 'perspective' },
    { name: 'nail of 12 px', frame: 0, x: 700, y: 790, side: 12, model: 'shift' },
  ],
};

const MNESTRA = new URL('../src/cli/main.js', import.meta.url).pathname;

/** Tracks regions of a shot through the command line and compares with where they truly go. */
export async function benchTracks(shot: Shot, folder: string, scratch: string): Promise<Tracks | undefined> {
  const regions = REGIONS[shot.name];
  if (!regions) return undefined;
  const { clip } = shotFiles(folder, shot);
  const renderer = await Renderer.create(shot.lens);
  const truth = new Truth(renderer, shot, shot.build(renderer));
  const decode = await measureProcess('ffmpeg', [
    ...['-nostdin', '-loglevel', 'error', '-i', clip, '-map', '0:v', '-f', 'null', '-'],
  ]);
  const scores: TrackScore[] = [];
  let track: Usage | undefined;
  for (const region of regions) {
    const output = join(scratch, 'track.csv');
    const usage = await measureProcess('node', [MNESTRA, ...argumentsOf(region, clip, output)]);
    track ??= usage;
    scores.push(score(region, shot, truth, readTrackCsv(await readFile(output, 'utf8'))));
    await rm(output);
  }
  return { scores, decode, track: track! };
}

function argumentsOf(r: Region, clip: string, output: string): string[] {
  const corners = cornersOf(r).map(([x, y]) => `${x},${y}`);
  return [
    'track',
    '--quiet',
    '--input',
    clip,
    '--frame',
    String(r.frame),
    '--region',
    corners.join(' '),
    '--model',
    r.model,
    '--output',
    output,
  ];
}

const cornersOf = ({ x, y, side }: Region): [number, number][] => [
  [x, y],
  [x + side, y],
  [x + side, y + side],
  [x, y + side],
];

function score(region: Region, shot: Shot, truth: Truth, rows: TrackRow[]): TrackScore {
  const middle = truth.surface(region.frame, region.x + region.side / 2, region.y + region.side / 2)!;
  const seen = rows.map((row) => seenShare(region, middle.layer, row.frame, truth));
  const errors = rows.map((row) => cornerError(region, middle.layer, row, truth));
  const mean = (list: number[]): number => list.reduce((a, b) => a + b, 0) / list.length;
  const where = (test: (i: number) => boolean): number[] => rows.map((_, i) => i).filter(test);
  const inSight = where((i) => seen[i] >= 0.5 && rows[i].frame !== region.frame);
  const ends = [...inSight.slice(0, 5), ...inSight.slice(-5)].filter(
    (i) => Math.abs(rows[i].frame - region.frame) > shot.frames / 4,
  );
  const partly = where((i) => seen[i] > 0.33 && seen[i] < 0.9);
  const sure = where((i) => rows[i].confidence > 0.8 && rows[i].frame !== region.frame);
  const gone = where((i) => seen[i] < 0.1);
  return {
    region: region.name,
    frames: inSight.length,
    mean: mean(inSight.map((i) => errors[i])),
    end: mean(ends.map((i) => errors[i])),
    partlyHidden: mean(partly.map((i) => errors[i])),
    sure: sure.length,
    sureAndRight: sure.filter((i) => errors[i] <= 1).length,
    gone: gone.length,
    goneAndLost: gone.filter((i) => rows[i].confidence < 0.3).length,
  };
}

/** Mean distance of the corners from where they truly are; of a shift, that of the middle. */
function cornerError(region: Region, layer: number, row: TrackRow, truth: Truth): number {
  const off = cornersOf(region).map(([x, y], i) => {
    const at = truth.follow(layer, region.frame, x, y, row.frame);
    return { x: row.quad[i].x - at.x, y: row.quad[i].y - at.y };
  });
  if (region.model !== 'shift') return off.reduce((s, p) => s + Math.hypot(p.x, p.y), 0) / 4;
  return Math.hypot(off.reduce((s, p) => s + p.x, 0) / 4, off.reduce((s, p) => s + p.y, 0) / 4);
}

/** Share of a region that a frame shows, from a grid of 8 by 8 points. */
function seenShare(region: Region, layer: number, frame: number, truth: Truth): number {
  const passing = truth.movers(frame);
  const going = truth.gone(frame);
  let seen = 0;
  for (let k = 0; k < 64; k++) {
    const x = region.x + (((k % 8) + 0.5) / 8) * region.side;
    const y = region.y + ((Math.floor(k / 8) + 0.5) / 8) * region.side;
    const at = truth.follow(layer, region.frame, x, y, frame);
    const shown = truth.surface(frame, at.x, at.y)?.layer === layer && truth.inView(at);
    if (shown && !passing(at.x, at.y) && !going(at.x, at.y)) seen++;
  }
  return seen / 64;
}
