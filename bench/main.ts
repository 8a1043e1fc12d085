import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { isRendered, renderShot } from '../demo/render.ts';
import { SHOTS } from '../demo/shots/index.ts';
import { benchCamera, type CameraScore } from './cameraBench.ts';
import { benchCoverage } from './coverageBench.ts';
import { benchJob, type JobScore } from './jobBench.ts';
import { benchMovers, type MoverScore } from './moverBench.ts';
import { benchOutlines, type Outlines } from './outlineBench.ts';
import type { Usage } from './measureProcess.ts';
import { benchRanges, type RangeScore } from './rangeBench.ts';
import { BENCH_SHOTS } from './shots/index.ts';
import { benchQuality, benchShot, type Quality, type ShotResult } from './shotBench.ts';
import { benchStress, type StressResult } from './stressBench.ts';
import { benchTimes, type Times } from './timeBench.ts';
import { benchLongTrack, benchTracks, type Tracks } from './trackBench.ts';

// usage: node dist/bench/main.js [--demo FOLDER] [--shot NAME]… [--only fill|quality|time|camera|stress|job|track|movers|ranges|coverage|outline] [--json FILE]
const { values } = parseArgs({
  options: {
    demo: { type: 'string' },
    shot: { type: 'string', multiple: true },
    json: { type: 'string' },
    only: { type: 'string' },
  },
});
const FILLED = [
  'boardwalk',
  'mill-door',
  'fen-flight',
  'granary',
  'panel',
  'dusk-log',
  ...BENCH_SHOTS.map(({ name }) => name),
];
const JUDGED_AS_JOB = ['boardwalk', 'mill-door', 'fen-flight'];
const STRESSED = ['boardwalk'];
const TRACKED = ['boardwalk', 'granary', 'panel'];
const LONG = 'boardwalk';
const WATCHED = ['boardwalk', 'fen-flight'];
const OUTLINED = ['boardwalk', 'mill-door', 'fen-flight'];
/** Shots of which each thing that moves is a body with a name in the truth. */
const SEARCHED_IN_PARTS = ['boardwalk', 'mill-door', 'dusk-log'];
const SEARCHED = ['boardwalk', 'mill-door', 'fen-flight', 'granary', 'dusk-log'];

const folder = values.demo ?? join(process.env.MNESTRA_DATA ?? 'data', 'demo');
await mkdir(folder, { recursive: true });
const scratch = await mkdtemp(join(process.env.MNESTRA_SCRATCH ?? tmpdir(), 'mnestra-bench-'));
const results: unknown[] = [];
try {
  for (const shot of [...SHOTS, ...BENCH_SHOTS].filter((s) => values.shot?.includes(s.name) ?? true)) {
    const wants = (kind: string, judged: string[]): boolean =>
      (values.only ?? kind) === kind && (values.shot !== undefined || judged.includes(shot.name));
    if (wants('camera', FILLED)) {
      if (!isRendered(folder, shot, false)) await renderShot(shot, folder, false);
      const camera = await benchCamera(shot, folder, scratch);
      results.push({ shot: shot.name, camera });
      printCamera(shot.name, camera);
    }
    if (wants('time', FILLED)) {
      if (!isRendered(folder, shot, false)) await renderShot(shot, folder, false);
      const times = await benchTimes(shot, folder, scratch);
      results.push({ shot: shot.name, times });
      printTimes(shot.name, times);
    }
    if (wants('track', TRACKED)) {
      if (!isRendered(folder, shot, false)) await renderShot(shot, folder, false);
      const tracks = await benchTracks(shot, folder, scratch);
      results.push({ shot: shot.name, tracks });
      if (tracks) printTracks(shot.name, tracks);
      if (shot.name === LONG) {
        const long = await benchLongTrack(shot, folder, scratch);
        results.push({ shot: shot.name, long });
        process.stdout.write(
          `${shot.name}, 300 frames: mean error ${long.early.toFixed(3)} px in the first hundred, ${long.late.toFixed(3)} in the last\n\n`,
        );
      }
    }
    if (wants('movers', SEARCHED)) {
      if (!isRendered(folder, shot, false)) await renderShot(shot, folder, false);
      const movers = await benchMovers(shot, folder, scratch);
      results.push({ shot: shot.name, movers });
      printMovers(shot.name, movers);
    }
    if (wants('ranges', SEARCHED_IN_PARTS)) {
      if (!isRendered(folder, shot, false)) await renderShot(shot, folder, false);
      const ranges = await benchRanges(shot, folder, scratch);
      results.push({ shot: shot.name, ranges });
      printRanges(shot.name, ranges);
    }
    if (wants('outline', OUTLINED)) {
      if (!isRendered(folder, shot, false)) await renderShot(shot, folder, false);
      const outlines = await benchOutlines(shot, folder, scratch);
      results.push({ shot: shot.name, outlines });
      if (outlines) printOutlines(shot.name, outlines);
    }
    if (wants('coverage', WATCHED)) {
      if (!isRendered(folder, shot, false)) await renderShot(shot, folder, false);
      const coverage = await benchCoverage(shot, folder, scratch);
      results.push({ shot: shot.name, coverage });
      const { complete, lacking } = coverage;
      process.stdout.write(
        `${shot.name}: coverage, flagged ${lacking.flagged} of ${lacking.of} frames that lack 3 % of the matte, ` +
          `${complete.flagged} of ${complete.of} complete ones\n\n`,
      );
    }
    if (wants('job', JUDGED_AS_JOB)) {
      if (!isRendered(folder, shot, true)) await renderShot(shot, folder, true);
      const job = await benchJob(shot, folder, scratch);
      results.push({ shot: shot.name, job });
      printJob(shot.name, job);
    }
    if (wants('stress', STRESSED)) {
      if (!isRendered(folder, shot, true)) await renderShot(shot, folder, true);
      const stress = await benchStress(shot, folder, scratch);
      results.push({ shot: shot.name, stress });
      printStress(shot.name, stress);
    }
    // What `fill` says too, without its peers: only by name.
    if (values.only === 'quality' && wants('quality', FILLED)) {
      if (!isRendered(folder, shot, true)) await renderShot(shot, folder, true);
      const quality = await benchQuality(shot, folder, scratch);
      results.push({ shot: shot.name, quality });
      process.stdout.write(`${qualityLines(shot.name, quality).join('\n')}\n\n`);
    }
    if (!wants('fill', FILLED)) continue;
    if (!isRendered(folder, shot, true)) await renderShot(shot, folder, true);
    const result = await benchShot(shot, folder, scratch);
    results.push(result);
    print(result);
  }
} finally {
  await rm(scratch, { recursive: true, force: true });
}
if (values.json) await writeFile(values.json, JSON.stringify(results, null, 1));

function qualityLines(name: string, r: Quality): string[] {
  const cell = (v: number, digits: number): string => (Number.isFinite(v) ? v.toFixed(digits) : '–').padStart(9);
  return [
    `${name}: hole ${(100 * r.holeShare).toFixed(1)} % of the picture, ${r.changedOutside} samples changed outside`,
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
  ];
}

function print(r: ShotResult): void {
  const lines = [
    ...qualityLines(r.shot, r),
    `reveal and take agree about ${(100 * r.revealAgrees).toFixed(1)} % of the hole`,
    ...Object.entries(r.time).map(([name, u]) => againstFloor(name, u, r.time.floor)),
  ];
  process.stdout.write(`${lines.join('\n')}\n\n`);
}

function againstFloor(name: string, u: Usage, floor: Usage): string {
  const [cpu, wall] = [u.cpuSeconds / floor.cpuSeconds, u.wallSeconds / floor.wallSeconds];
  const peak = Math.round(u.peakMiB);
  return `${name.padEnd(8)} ${cpu.toFixed(2)} x the floor's CPU time, ${wall.toFixed(2)} x its wall time, peak ${peak} MiB`;
}

function printTimes(name: string, times: Times): void {
  const lines = Object.entries(times).map(([run, u]) => againstFloor(run, u, times.floor));
  const faster = (times.alone.wallSeconds / times.full.wallSeconds).toFixed(2);
  const worth = times.stored.threadsWorth.toFixed(2);
  const heading = `${name}: times; two threads are ${faster} times as fast as one, ${worth} by the CPU time of a stored take's threads`;
  process.stdout.write(`${heading}\n${lines.join('\n')}\n\n`);
}

function printCamera(name: string, scores: CameraScore[]): void {
  const lines = scores.map(
    (s) =>
      `${String(s.distance).padStart(4)} frames apart: median ${s.median.toFixed(3)} px, nine of ten below ${s.ninth.toFixed(2)}`,
  );
  process.stdout.write(`${name}: camera, error against the true one over the whole picture\n${lines.join('\n')}\n\n`);
}

function printStress(name: string, { runs, longOverShort, largeOverUsual }: StressResult): void {
  const lines = runs.map(
    ({ recipe, frames, floor, fill }) =>
      `${recipe.padEnd(30)} ${String(frames).padStart(4)} frames  ` +
      `${(fill.cpuSeconds / floor.cpuSeconds).toFixed(2)} x the floor's CPU time, ` +
      `${(fill.wallSeconds / floor.wallSeconds).toFixed(2)} x its wall time, peak ${Math.round(fill.peakMiB)} MiB`,
  );
  process.stdout.write(
    `${name}, stretched\n${lines.join('\n')}\na frame of the long film costs ${longOverShort.toFixed(2)} times one of the short, ` +
      `a hole in 4K ${largeOverUsual.toFixed(2)} times one in 1080p beyond the floor\n\n`,
  );
}

function printJob(name: string, { chosen, truly, found }: JobScore): void {
  process.stdout.write(
    `${name}: movers ${chosen.join()}, grown and filled: seen part ${found.seenMean.toFixed(2)} dB (with the true matte ` +
      `${truly.seenMean.toFixed(2)}), worst 5 % ${found.seenWorst.toFixed(2)} dB (${truly.seenWorst.toFixed(2)}), ` +
      `flicker ${found.flicker.toFixed(2)} (${truly.flicker.toFixed(2)})\n\n`,
  );
}

function printTracks(name: string, { scores, steered, decode, track }: Tracks): void {
  const px = (v: number): string => (Number.isFinite(v) ? v.toFixed(2) : '–').padStart(9);
  const lines = [
    `${name}: tracks, corner error in px`,
    'region                  mean      end   partly  sure and right  gone and lost',
    ...scores.map(
      (s) =>
        s.region.padEnd(19) +
        px(s.mean) +
        px(s.end) +
        px(s.partlyHidden) +
        `${s.sureAndRight} of ${s.sure}`.padStart(16) +
        `${s.goneAndLost} of ${s.gone}`.padStart(15),
    ),
    ...steered.map(
      (s) =>
        `${s.region}, lost from ${s.first} to ${s.last}: at most ${s.before.toFixed(2)} px off, with three anchors ${s.after.toFixed(2)}`,
    ),
    `a track: ${(track.cpuSeconds / decode.cpuSeconds).toFixed(2)} x the CPU time of decoding, decoding included`,
  ];
  process.stdout.write(`${lines.join('\n')}\n\n`);
}

function printMovers(name: string, s: MoverScore): void {
  const percent = (v: number): string => (Number.isFinite(v) ? `${(100 * v).toFixed(1)} %` : '–');
  process.stdout.write(
    `${name}: movers, ${s.foundParts} of ${s.parts} true parts found, ${s.falseOnes} of ${s.listed} listed are none; ` +
      `agreement with bodies alone ${percent(s.bodies.alone)} without shadows, ${percent(s.bodies.whole)} with them; ` +
      `grown by 6 px it covers ${percent(s.covered)} of the true matte and is ${s.size.toFixed(2)} times as large; ` +
      (s.apart.frames > 0
        ? `in ${s.apart.frames} frames in which two come close, ${percent(s.apart.mean)} of what is found of them is told apart rightly ` +
          `(worst frame ${percent(s.apart.worst)}); `
        : '') +
      `${(s.search.cpuSeconds / s.decode.cpuSeconds).toFixed(2)} x the CPU time of decoding, decoding included\n\n`,
  );
}

function printRanges(name: string, ranges: RangeScore[]): void {
  const right = ranges.filter((r) => r.listed === r.bodies).length;
  const wrong = ranges.filter((r) => r.listed !== r.bodies);
  const said = wrong.map((r) => `; frames ${r.first} to ${r.last}: ${r.listed} listed for ${r.bodies}`).join('');
  process.stdout.write(
    `${name}: searched in ${ranges.length} parts, ${right} of which list as many as move${said}\n\n`,
  );
}

function printOutlines(name: string, { points, follows, outline, decode }: Outlines): void {
  const lines = [
    `${name}: outlines by pointing, intersection over union`,
    'body                frame      box   3 clicks  longest answer',
    ...points.map(
      (p) =>
        `${p.body}${p.crowded ? ' (others close)' : ''}`.padEnd(30) +
        String(p.frame).padStart(4) +
        p.box.toFixed(3).padStart(9) +
        p.clicks.toFixed(3).padStart(10) +
        `${Math.round(p.ms)} ms`.padStart(10),
    ),
    ...follows.map(
      (f) =>
        `${f.body} followed from frame ${f.from}: mean ${f.mean.toFixed(3)}, ${f.corrections} corrections, ` +
        `${f.outlined} of ${f.frames} judged frames outlined`,
    ),
    `mnestra outline: ${(outline.cpuSeconds / decode.cpuSeconds).toFixed(1)} x the CPU time of decoding, decoding included`,
  ];
  process.stdout.write(`${lines.join('\n')}\n\n`);
}
