import { readFileSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { shotFiles } from '../demo/render.ts';
import type { Shot } from '../demo/shot.ts';
import { Footage } from './footage.ts';
import { MNESTRA, measureProcess } from './measureProcess.ts';
import { judge, type MethodScore } from './shotBench.ts';

/** The whole job without a drawn shape: what moves is found, chosen, grown and filled; beside the fill with the true matte. */
export interface JobScore {
  /** Numbers of the movers that were chosen. */
  chosen: number[];
  truly: MethodScore;
  found: MethodScore;
}

/** Px that the found matte is grown by, and that its edge fades over. */
const GROW_PX = 6;
const FEATHER_PX = 2;
/** Share of a mover's box that the true matte covers, on average, if a person would choose it. */
const CHOSEN = 0.12;
const EVERY = 5;

export async function benchJob(shot: Shot, folder: string, scratch: string): Promise<JobScore> {
  const files = shotFiles(folder, shot);
  const out = (name: string): string => join(scratch, `job.${name}`);
  const mnestra = (command: string, ...args: string[]) =>
    measureProcess('node', [MNESTRA, command, '--quiet', '--input', files.clip, ...args]);
  await mnestra('movers', '--output', out('all.mkv'), '--json', out('movers.json'));
  const chosen = await choose(files.matte, out('movers.json'), scratch);
  await mnestra('movers', '--output', out('matte.mkv'), '--only', chosen.join());
  const edge = ['--grow', String(GROW_PX), '--feather', String(FEATHER_PX)];
  await mnestra('fill', '--matte', out('matte.mkv'), ...edge, '--output', out('found.mkv'));
  await mnestra('fill', '--matte', files.matte, '--output', out('truly.mkv'));
  const { scores } = await judge(shot, files, { truly: out('truly.mkv'), found: out('found.mkv') }, scratch, false);
  for (const name of ['all.mkv', 'matte.mkv', 'found.mkv', 'truly.mkv', 'movers.json']) await rm(out(name));
  const of = (name: string): MethodScore => scores.find((s) => s.method === name)!;
  return { chosen, truly: of('truly'), found: of('found') };
}

/** Movers that a person would choose: those over which the true matte lies. */
async function choose(mattePath: string, json: string, scratch: string): Promise<number[]> {
  const { movers } = JSON.parse(readFileSync(json, 'utf8')) as {
    movers: { first: number; frames: { box: [number, number, number, number] }[] }[];
  };
  const matte = await Footage.open(mattePath, scratch, 'job-matte', true);
  const { width } = matte.store.format;
  const shares = movers.map(({ first, frames }) => {
    let [inside, all] = [0, 0];
    for (let k = 0; k < frames.length; k += EVERY) {
      const [x, y, w, h] = frames[k].box.map(Math.round);
      const bytes = matte.bytes(first + k);
      for (let v = y; v < y + h; v += 2) {
        for (let u = x; u < x + w; u += 2) {
          all++;
          if (bytes[v * width + u] >= 128) inside++;
        }
      }
    }
    return inside / Math.max(1, all);
  });
  await matte.close();
  return shares.flatMap((share, i) => (share >= CHOSEN ? [i + 1] : []));
}
