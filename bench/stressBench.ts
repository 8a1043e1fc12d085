import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { shotFiles } from '../demo/render.ts';
import type { Shot } from '../demo/shot.ts';
import { floorOf, measureProcess, MNESTRA, type Usage } from './measureProcess.ts';

/** What one recipe cost. */
export interface Stress {
  recipe: string;
  frames: number;
  floor: Usage;
  fill: Usage;
}

export interface StressResult {
  runs: Stress[];
  /** CPU time per frame of the long film against that of the short one. */
  longOverShort: number;
  /** CPU time beyond the floor of a hole in 4K against the same area in 1080p. */
  largeOverUsual: number;
}

/** Frames of the short and of the long film. */
const SHORT = 150;
const LONG = 600;
/** Frames of the recipes that are about size. */
const FEW = 60;
const LOSSY = ['-c:v', 'libx264', '-preset', 'fast', '-crf', '17', '-pix_fmt', 'yuv420p'];
const GREY = ['-c:v', 'ffv1', '-level', '3', '-pix_fmt', 'gray'];

/**
 * Films that are long, large, or mostly hole, made of one demo shot: what they cost in CPU time and memory.
 * A film longer than the shot runs forwards and backwards, so that nothing jumps.
 */
export async function benchStress(shot: Shot, folder: string, scratch: string): Promise<StressResult> {
  const files = shotFiles(folder, shot);
  const run = async (recipe: string, frames: number, clipFilter: string, matteFilter: string): Promise<Stress> => {
    const [clip, matte] = [join(scratch, 'stress.mp4'), join(scratch, 'stress-matte.mkv')];
    const loop = `[0:v]split[a][b];[b]reverse[r];[a][r]concat,loop=-1:${2 * shot.frames},trim=end_frame=${frames}`;
    const make = (from: string, filter: string, codec: string[], to: string): Promise<Usage> =>
      measureProcess('ffmpeg', [
        ...['-nostdin', '-loglevel', 'error', '-y', '-i', from],
        ...['-filter_complex', `${loop},setpts=N/${shot.rate}/TB,${filter}`, '-r', String(shot.rate), ...codec, to],
      ]);
    await make(files.clip, clipFilter, LOSSY, clip);
    await make(files.matte, matteFilter, GREY, matte);
    const floor = await floorOf(clip, join(scratch, 'stress-floor.mkv'));
    const output = join(scratch, 'stress-fill.mkv');
    const args = ['fill', '--quiet', '--input', clip, '--matte', matte, '--output', output];
    const fill = await measureProcess('node', [MNESTRA, ...args]);
    for (const path of [clip, matte, output]) await rm(path, { force: true });
    process.stderr.write(`${recipe}: ${(fill.cpuSeconds / floor.cpuSeconds).toFixed(2)} times the floor\n`);
    return { recipe, frames, floor, fill };
  };
  const { width: w, height: h } = shot.lens;
  const short = await run(`${SHORT} frames`, SHORT, 'null', 'null');
  const long = await run(`${LONG} frames`, LONG, 'null', 'null');
  const usual = await run('1080p', FEW, 'null', 'null');
  const large = await run(
    '4K, a hole of the same area',
    FEW,
    `scale=${2 * w}:${2 * h}`,
    // What is padded with black is 16 in grey: a matte all over.
    `pad=${2 * w}:${2 * h}:${w >> 1}:${h >> 1},lut=y='if(lt(val,32),0,val)'`,
  );
  const third = `geq=lum='if(between(X,${0.2 * w},${0.8 * w})*between(Y,${0.25 * h},${0.75 * h}),255,0)'`;
  const much = await run('a hole of 30 %', FEW, 'null', third);
  const perFrame = ({ fill, frames }: Stress): number => fill.cpuSeconds / frames;
  const beyond = ({ fill, floor }: Stress): number => fill.cpuSeconds - floor.cpuSeconds;
  return {
    runs: [short, long, usual, large, much],
    longOverShort: perFrame(long) / perFrame(short),
    largeOverUsual: beyond(large) / beyond(usual),
  };
}
