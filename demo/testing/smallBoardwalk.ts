import { spawnSync } from 'node:child_process';
import { shotFiles, type RenderedShot } from '../render.ts';
import { scaled } from '../shot.ts';
import { boardwalk } from '../shots/boardwalk.ts';

const DEMO = new URL('../../dist/demo/main.js', import.meta.url).pathname;

/** Renders `frames` frames of the boardwalk into a folder, 384x216 px, in a process of its own. */
export function smallBoardwalk(folder: string, frames: number): RenderedShot {
  const args = ['--out', folder, '--shot', 'boardwalk', '--scale', '0.2', '--frames', String(frames)];
  const { status, stderr } = spawnSync('node', [DEMO, ...args]);
  if (status !== 0) throw new Error(String(stderr));
  return shotFiles(folder, scaled(boardwalk, 0.2, frames));
}
