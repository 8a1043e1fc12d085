import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { isRendered, renderShot } from '../demo/render.ts';
import { SHOTS } from '../demo/shots/index.ts';
import { benchShot, type ShotResult } from './shotBench.ts';

// usage: node dist/bench/main.js [--demo FOLDER] [--shot NAME] [--json FILE]
const { values } = parseArgs({
  options: { demo: { type: 'string' }, shot: { type: 'string' }, json: { type: 'string' } },
});
const JUDGED = ['boardwalk', 'mill-door', 'fen-flight'];

const folder = values.demo ?? join(process.env.MNESTRA_DATA ?? 'data', 'demo');
await mkdir(folder, { recursive: true });
const scratch = await mkdtemp(join(process.env.MNESTRA_SCRATCH ?? tmpdir(), 'mnestra-bench-'));
const results: ShotResult[] = [];
try {
  for (const shot of SHOTS.filter((s) => (values.shot ? s.name === values.shot : JUDGED.includes(s.name)))) {
    if (!isRendered(folder, shot, true)) await renderShot(shot, folder, true);
    const result = await benchShot(shot, folder, scratch);
    results.push(result);
    print(result);
  }
} finally {
  await rm(scratch, { recursive: true, force: true });
}
if (values.json) await writeFile(values.json, JSON.stringify(results, null, 1));

function print(r: ShotResult): void {
  const cell = (v: number, digits: number): string => (Number.isFinite(v) ? v.toFixed(digits) : '–').padStart(9);
  const lines = [
    `${r.shot}: ${r.frames} frames, hole ${(100 * r.holeShare).toFixed(1)} % of the picture, ${r.changedOutside} samples changed outside`,
    'method            seen dB  worst5%  unseen dB    ssim  flicker  sharpness    seam',
    ...r.scores.map(
      (s) =>
        s.method.padEnd(16) +
        cell(s.seenMean, 2) +
        cell(s.seenWorst, 2) +
        cell(s.unseenMean, 2) +
        cell(s.ssim, 4) +
        cell(s.flicker, 2) +
        cell(s.sharpness, 2) +
        cell(s.seam, 2),
    ),
    ...Object.entries(r.time).map(
      ([name, u]) =>
        `${name.padEnd(8)} ${(u.cpuSeconds / r.time.floor.cpuSeconds).toFixed(2)} x the floor's CPU time, ` +
        `${(u.wallSeconds / r.time.floor.wallSeconds).toFixed(2)} x its wall time, peak ${Math.round(u.peakMiB)} MiB`,
    ),
  ];
  process.stdout.write(`${lines.join('\n')}\n\n`);
}
