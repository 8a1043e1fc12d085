import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawn, spawnSync, type SpawnSyncReturns } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { shotFiles, type RenderedShot } from '../../demo/render.ts';
import { scaled } from '../../demo/shot.ts';
import { boardwalk } from '../../demo/shots/boardwalk.ts';
import { readTrackCsv } from '../core/tracking/trackTable.ts';

const MNESTRA = new URL('../../bin/mnestra.js', import.meta.url).pathname;
const DEMO = new URL('../../dist/demo/main.js', import.meta.url).pathname;
const [W, H, FRAMES] = [384, 216, 24];

let dir: string;
let shot: RenderedShot;
const at = (name: string): string => join(dir, name);

beforeAll(() => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-cli-'));
  const recipe = scaled(boardwalk, 0.2, FRAMES);
  // In a process of its own: the test runner's sandbox makes number crunching many times slower.
  const args = ['--out', at('demo'), '--shot', 'boardwalk', '--scale', '0.2', '--frames', String(FRAMES)];
  spawnSync('node', [DEMO, ...args]);
  shot = shotFiles(at('demo'), recipe);
}, 180_000);
afterAll(() => rmSync(dir, { recursive: true, force: true }));

function mnestra(...args: string[]): SpawnSyncReturns<Buffer> {
  return spawnSync('node', [MNESTRA, ...args], { env: { ...process.env, MNESTRA_SCRATCH: dir } });
}

function planes(path: string, pix = 'yuv420p'): Buffer {
  const { stdout, status } = spawnSync(
    'ffmpeg',
    ['-nostdin', '-loglevel', 'error', '-i', path, '-f', 'rawvideo', '-pix_fmt', pix, '-'],
    { maxBuffer: 1 << 28 },
  );
  expect(status).toBe(0);
  return stdout;
}

const fill = (output: string, ...more: string[]): SpawnSyncReturns<Buffer> =>
  mnestra('fill', '--input', shot.clip, '--matte', shot.matte, '--output', at(output), '--quiet', ...more);

/** Mean squared error of luma against the truth where the matte is above 0. */
function errorInHole(path: string): number {
  const [result, truth, matte] = [planes(path), planes(shot.truth), planes(shot.matte, 'gray')];
  let [sum, n] = [0, 0];
  for (let i = 0; i < matte.length; i++) {
    if (matte[i] === 0) continue;
    const [frame, px] = [Math.floor(i / (W * H)), i % (W * H)];
    const k = (frame * W * H * 3) / 2 + px;
    sum += (result[k] - truth[k]) ** 2;
    n++;
  }
  return sum / n;
}

describe('mnestra fill', () => {
  it('removes what the matte marks, changes no sample outside, and reports', () => {
    const { status, stderr } = fill('full.mkv', '--report', at('report.json'));
    expect(String(stderr)).toBe('');
    expect(status).toBe(0);
    const [before, after, matte] = [planes(shot.clip), planes(at('full.mkv')), planes(shot.matte, 'gray')];
    expect(after.length).toBe(before.length);
    for (let i = 0; i < matte.length; i++) {
      const k = Math.floor(i / (W * H)) * W * H * 1.5 + (i % (W * H));
      if (matte[i] === 0 && before[k] !== after[k]) throw new Error(`sample ${k} changed`);
    }
    expect(errorInHole(at('full.mkv'))).toBeLessThan(0.2 * errorInHole(shot.clip));
    const report = JSON.parse(readFileSync(at('report.json'), 'utf8'));
    expect(report).toMatchObject({ motion: { tripod: false }, clip: { width: W, frames: FRAMES } });
    expect(report.reveal).toHaveLength(FRAMES);
  });

  it('gives the same bits with one thread or two and with little memory, and says how much it needs at least', () => {
    expect(fill('one.mkv', '--threads', '1').status).toBe(0);
    expect(fill('two.mkv', '--threads', '2').status).toBe(0);
    process.env.MNESTRA_MEMORY_MIB = '245';
    expect(fill('tight.mkv').status).toBe(0);
    for (const other of ['two.mkv', 'tight.mkv']) expect(planes(at(other)).equals(planes(at('one.mkv')))).toBe(true);
    process.env.MNESTRA_MEMORY_MIB = '100';
    const { status, stderr } = fill('none.mkv');
    delete process.env.MNESTRA_MEMORY_MIB;
    expect(status).toBe(4);
    expect(String(stderr)).toMatch(/need 2\d\d MiB at least; the ceiling is 100 MiB/);
    expect(existsSync(at('none.mkv'))).toBe(false);
  });

  it('makes a draft that is better than the thing itself', () => {
    expect(fill('draft.mkv', '--draft').status).toBe(0);
    expect(errorInHole(at('draft.mkv'))).toBeLessThan(0.4 * errorInHole(shot.clip));
  });

  it('leaves a clip alone whose matte is empty', () => {
    spawnSync('ffmpeg', [
      '-nostdin',
      '-y',
      '-f',
      'lavfi',
      '-i',
      `color=black:s=${W}x${H}:r=25`,
      '-frames:v',
      String(FRAMES),
      '-pix_fmt',
      'gray',
      '-c:v',
      'ffv1',
      at('none.mkv'),
    ]);
    const { status } = mnestra(
      'fill',
      '--input',
      shot.clip,
      '--matte',
      at('none.mkv'),
      '--output',
      at('same.mkv'),
      '--quiet',
    );
    expect(status).toBe(0);
    expect(planes(at('same.mkv')).equals(planes(shot.clip))).toBe(true);
  });

  it.each([
    [2, /--matte is missing/, ['fill', '--input', 'a', '--output', 'b']],
    [
      2,
      /--light takes a whole number from 0 to 100/,
      ['fill', '--input', 'a', '--matte', 'b', '--output', 'c', '--light', '101'],
    ],
    [2, /There is no command/, ['mend']],
    [3, /There is no file/, ['fill', '--input', '/nowhere.mp4', '--matte', 'b', '--output', 'c.mkv']],
  ])('ends with %i and says why', (code, message, args) => {
    const { status, stderr } = mnestra(...args);
    expect(String(stderr)).toMatch(message);
    expect(status).toBe(code);
  });

  it('names both sizes when the matte does not fit, and leaves no scratch behind', () => {
    spawnSync('ffmpeg', ['-nostdin', '-y', '-f', 'lavfi', '-i', 'color=white:s=100x100:r=25:d=1', at('square.mkv')]);
    const { status, stderr } = mnestra(
      'fill',
      '--input',
      shot.clip,
      '--matte',
      at('square.mkv'),
      '--output',
      at('no.mkv'),
    );
    expect(String(stderr)).toMatch(/100x100.*384x216/);
    expect(status).toBe(3);
    expect(existsSync(at('no.mkv'))).toBe(false);
    expect(readdirSync(dir).filter((f) => f.startsWith('mnestra-'))).toEqual([]);
  });

  it('ends at once when interrupted, with nothing half-written', async () => {
    const args = ['fill', '--input', shot.clip, '--matte', shot.matte, '--output', at('cut.mkv'), '--quiet'];
    const child = spawn('node', [MNESTRA, ...args], { env: { ...process.env, MNESTRA_SCRATCH: dir } });
    const atWork = (): boolean => readdirSync(dir).some((f) => f.startsWith('mnestra-'));
    for (let k = 0; k < 600 && !atWork(); k++) await new Promise((resolve) => setTimeout(resolve, 50));
    expect(atWork()).toBe(true);
    const asked = Date.now();
    child.kill('SIGINT');
    const code = await new Promise((resolve) => child.once('close', resolve));
    expect(code).toBe(130);
    expect(Date.now() - asked).toBeLessThan(6000);
    expect(readdirSync(dir).filter((f) => f.startsWith('mnestra-') || f.startsWith('cut'))).toEqual([]);
  });
});

describe('a hand trim', () => {
  it('is laid on the fill alone, and on nothing outside the matte', () => {
    writeFileSync(at('trim.json'), JSON.stringify({ 0: { exposure: 0.8, ease: 'hold' }, 12: {} }));
    expect(String(fill('trimmed.mkv', '--trim', at('trim.json')).stderr)).toBe('');
    const [plain, trimmed, matte] = [planes(at('full.mkv')), planes(at('trimmed.mkv')), planes(shot.matte, 'gray')];
    const gains: number[] = [];
    for (let i = 0; i < matte.length; i++) {
      const frame = Math.floor(i / (W * H));
      const k = frame * W * H * 1.5 + (i % (W * H));
      if ((frame >= 12 || matte[i] === 0) && trimmed[k] !== plain[k]) throw new Error(`sample ${k} changed`);
      if (frame >= 12) continue;
      if (matte[i] === 255 && plain[k] > 60) gains.push((trimmed[k] - 16) / (plain[k] - 16));
    }
    gains.sort((a, b) => a - b);
    expect(gains[gains.length >> 1]).toBeCloseTo(2 ** (0.8 / 2.4), 2);
  });

  it('that is none is refused with what is wrong, before anything is computed', () => {
    writeFileSync(at('wrong.json'), JSON.stringify({ 0: { exposure: 40 } }));
    const { status, stderr } = fill('never.mkv', '--trim', at('wrong.json'));
    expect(status).toBe(3);
    expect(String(stderr)).toMatch(/exposure.*less than or equal to 4.*docs\/formats\.md/);
    expect(existsSync(at('never.mkv'))).toBe(false);
    expect(fill('never.mkv', '--trim', at('nowhere.json')).status).toBe(3);
  });
});

describe('a plate', () => {
  const plate = (output: string, ...more: string[]): SpawnSyncReturns<Buffer> =>
    mnestra(
      'plate',
      '--input',
      shot.clip,
      '--matte',
      shot.matte,
      '--output',
      at(output),
      '--quiet',
      '--frame',
      '12',
      ...more,
    );

  it.each([
    ['the mean of those that agree, as PNG', 'mean.png', []],
    ['the median of all, as TIFF', 'median.tif', ['--median']],
  ])('is built from the shot as %s, and a fill from it is nearly the truth', (_, name, more) => {
    expect(String(plate(name, ...more).stderr)).toBe('');
    const args = ['--plate', `${at(name)},12`, '--sources', 'plate,colours', '--report', at('report.json')];
    expect(String(fill(`${name}.mkv`, ...args).stderr)).toBe('');
    expect(errorInHole(at(`${name}.mkv`))).toBeLessThan(errorInHole(shot.clip) / 20);
  });

  it('is made by the draft of a fill too', () => {
    expect(
      fill('plate-draft.mkv', '--plate', `${at('mean.png')},12`, '--sources', 'plate,colours', '--draft').status,
    ).toBe(0);
    expect(errorInHole(at('plate-draft.mkv'))).toBeLessThan(0.5 * errorInHole(shot.clip));
  });

  it('keeps the colours of what went out and was brought back as it was', () => {
    expect(
      fill(
        'from-plate.mkv',
        '--plate',
        `${at('mean.png')},12`,
        '--sources',
        'plate,colours',
        '--no-grain',
        '--light',
        '0',
      ).status,
    ).toBe(0);
    const [result, truth, matte] = [planes(at('from-plate.mkv')), planes(shot.truth), planes(shot.matte, 'gray')];
    const differences: number[] = [];
    for (let i = 12 * W * H; i < 13 * W * H; i++) {
      const k = i + 12 * W * H * 0.5;
      if (matte[i] === 255) differences.push(result[k] - truth[k]);
    }
    differences.sort((a, b) => a - b);
    expect(Math.abs(differences[differences.length >> 1])).toBeLessThanOrEqual(1);
  });

  it('that is none, or has another size, is refused with what to do', () => {
    writeFileSync(at('text.png'), 'no picture');
    const ffmpeg = [
      '-loglevel',
      'error',
      '-y',
      '-f',
      'lavfi',
      '-i',
      'color=red:s=64x64',
      '-frames:v',
      '1',
      at('small.png'),
    ];
    expect(spawnSync('ffmpeg', ffmpeg).status).toBe(0);
    for (const [name, sentence] of [
      ['text.png', 'Bring in a PNG or a TIFF'],
      ['small.png', 'The picture is 64x64, the footage 384x216'],
      ['nowhere.png', 'There is no file'],
    ]) {
      const { status, stderr } = fill('never.mkv', '--plate', `${at(name)},12`);
      expect([status, String(stderr)]).toEqual([3, expect.stringContaining(sentence)]);
    }
    expect(fill('never.mkv', '--plate', at('mean.png')).status).toBe(2);
    expect(fill('never.mkv', '--plate', `${at('mean.png')},900`).status).toBe(2);
    expect(fill('never.mkv', '--sources', 'plate').status).toBe(2);
    expect(plate('plate.jpg').status).toBe(2);
    expect(plate('never.png', '--first', '20', '--last', '10').status).toBe(2);
    expect(existsSync(at('never.mkv')) || existsSync(at('never.png'))).toBe(false);
  });
});

describe('mnestra reveal', () => {
  it('writes totals, frames and a grey video of the same size', () => {
    const { status } = mnestra(
      'reveal',
      '--input',
      shot.clip,
      '--matte',
      shot.matte,
      '--json',
      at('r.json'),
      '--output',
      at('r.mkv'),
      '--quiet',
    );
    expect(status).toBe(0);
    const { frames, total } = JSON.parse(readFileSync(at('r.json'), 'utf8'));
    expect(frames).toHaveLength(FRAMES);
    // The walker walks on: most of what is behind is seen sooner or later.
    expect(total.seen).toBeGreaterThan(0.6 * total.hole);
    expect(total.seen + total.thin + total.unseen).toBe(total.hole);
    const grey = planes(at('r.mkv'), 'gray');
    expect(grey.length).toBe(W * H * FRAMES);
    expect([...new Set(grey)].every((v) => [0, 85, 170, 255].includes(v))).toBe(true);
    expect(grey.includes(255)).toBe(true);
  });
});

describe('a matte that is used otherwise than as it is', () => {
  it('is grown, and lies later in time; the frames before it are left alone', () => {
    const input = ['--quiet', '--input', shot.clip, '--matte', shot.matte];
    expect(mnestra('reveal', ...input, '--json', at('plain.json')).status).toBe(0);
    expect(mnestra('reveal', ...input, '--grow', '4', '--begins', '10', '--json', at('late.json')).status).toBe(0);
    const [plain, late] = ['plain.json', 'late.json'].map(
      (name) => (JSON.parse(readFileSync(at(name), 'utf8')) as { frames: { hole: number }[] }).frames,
    );
    expect(late.map((f) => f.hole > 0)).toEqual([...Array(FRAMES).keys()].map((t) => t >= 10));
    for (let t = 10; t < FRAMES; t++) expect(late[t].hole).toBeGreaterThan(1.1 * plain[t - 10].hole);
    expect(mnestra('fill', ...input, '--grow', 'much', '--output', at('x.mkv')).status).toBe(2);
  });
});

describe('a holdout', () => {
  it('keeps the samples under it, and nothing is filled there', () => {
    // Everything is held out: then nothing may change.
    const held = at('held.mkv');
    const all = [
      '-f',
      'lavfi',
      '-i',
      `color=c=white:s=${W}x${H}:r=25:d=${FRAMES / 25}`,
      '-pix_fmt',
      'gray',
      '-c:v',
      'ffv1',
    ];
    expect(spawnSync('ffmpeg', ['-loglevel', 'error', '-y', ...all, held]).status).toBe(0);
    const input = ['--quiet', '--input', shot.clip, '--matte', shot.matte];
    expect(mnestra('fill', ...input, '--holdout', held, '--output', at('kept.mkv')).status).toBe(0);
    const frames = (path: string): string =>
      String(spawnSync('ffmpeg', ['-loglevel', 'error', '-i', path, '-f', 'framemd5', '-']).stdout)
        .split('\n')
        .filter((line) => line !== '' && !line.startsWith('#'))
        .map((line) => line.split(',').at(-1)!.trim())
        .join();
    expect(frames(at('kept.mkv'))).toBe(frames(shot.clip));
  });
});

describe('mnestra track', () => {
  const region = ['--region', '200,165 250,165 250,200 200,200'];

  it('writes corners and confidence of every frame, as a table and as JSON, and leaves no scratch behind', () => {
    const follow = (...more: string[]) => mnestra('track', '--quiet', '--input', shot.clip, ...region, ...more);
    expect(follow('--frame', '12', '--output', at('t.csv')).status).toBe(0);
    const rows = readTrackCsv(readFileSync(at('t.csv'), 'utf8'));
    expect(rows.map((r) => r.frame)).toEqual([...Array(FRAMES).keys()]);
    expect(rows[12]).toMatchObject({ confidence: 1, quad: [{ x: 200, y: 165 }, { x: 250 }, { y: 200 }, {}] });
    // The camera is held by hand: the ground moves a little, and is followed surely.
    const moved = rows.map((r) => Math.hypot(r.quad[0].x - 200, r.quad[0].y - 165));
    expect(Math.max(...moved)).toBeGreaterThan(0.5);
    expect(Math.max(...moved)).toBeLessThan(30);
    expect(rows.filter((r) => r.confidence > 0.8).length).toBeGreaterThan(FRAMES / 2);

    const some = ['--frame', '5', '--first', '3', '--last', '8', '--model', 'rotation', '--without', 'scale'];
    expect(follow(...some, '--output', at('t.json')).status).toBe(0);
    const { frames } = JSON.parse(readFileSync(at('t.json'), 'utf8')) as {
      frames: { frame: number; corners: [number, number][] }[];
    };
    expect(frames.map((f) => f.frame)).toEqual([3, 4, 5, 6, 7, 8]);
    for (const {
      corners: [a, b],
    } of frames)
      expect(Math.hypot(b[0] - a[0], b[1] - a[1])).toBeCloseTo(50, 2);
    expect(readdirSync(dir).filter((name) => name.startsWith('mnestra-'))).toEqual([]);
  });

  it.each([
    [['--frame', '99'], 2, 'must lie within the frames'],
    [['--frame', '1', '--model', 'bend'], 2, 'takes one of shift, scale'],
    [['--frame', 'first'], 2, 'takes a whole number'],
  ])('refuses %j with a sentence', (more, code, text) => {
    const { status, stderr } = mnestra('track', '--input', shot.clip, ...region, ...more, '--output', at('no.csv'));
    expect([status, existsSync(at('no.csv'))]).toEqual([code, false]);
    expect(stderr.toString()).toContain(text);
  });

  it('refuses a region that is none', () => {
    const flat = ['--region', '10,10 20,10 30,10 40,10', '--frame', '1', '--output', at('no.csv')];
    const { status, stderr } = mnestra('track', '--input', shot.clip, ...flat);
    expect([status, stderr.toString()]).toEqual([2, expect.stringContaining('four corners in order')]);
  });
});

describe('mnestra movers', () => {
  it('writes what moves as a grey video of the footage, and as a list', () => {
    const out = ['--output', at('movers.mkv'), '--json', at('movers.json')];
    expect(mnestra('movers', '--quiet', '--input', shot.clip, ...out).status).toBe(0);
    expect(JSON.parse(String(mnestra('probe', at('movers.mkv')).stdout))).toMatchObject({
      width: W,
      height: H,
      frames: FRAMES,
      pixelFormat: 'gray',
    });
    const { movers } = JSON.parse(readFileSync(at('movers.json'), 'utf8')) as {
      movers: { first: number; last: number; frames: { frame: number; box: number[]; middle: number[] }[] }[];
    };
    for (const { first, last, frames } of movers) {
      expect(frames.map((f) => f.frame)).toEqual(Array.from({ length: last - first + 1 }, (_, k) => first + k));
    }
    expect(readdirSync(dir).filter((name) => name.startsWith('mnestra-'))).toEqual([]);
  });
});

describe('mnestra outline', () => {
  it('outlines what is pointed at and follows it, as a grey video of the footage', () => {
    const run = (...more: string[]) =>
      mnestra('outline', '--quiet', '--input', shot.clip, '--output', at('outline.mkv'), ...more);
    const { status } = run('--frame', '3', '--box', '20,20,60,60', '--json', at('outline.json'));
    expect(status).toBe(0);
    expect(JSON.parse(String(mnestra('probe', at('outline.mkv')).stdout))).toMatchObject({
      width: W,
      height: H,
      frames: FRAMES,
      pixelFormat: 'gray',
    });
    const { frames } = JSON.parse(readFileSync(at('outline.json'), 'utf8')) as {
      frames: { frame: number; confidence: number; box: number[] }[];
    };
    const anchor = frames.find((f) => f.frame === 3)!;
    expect(anchor.confidence).toBe(1);
    expect(anchor.box[0]).toBeGreaterThanOrEqual(20);
    expect(anchor.box[0] + anchor.box[2]).toBeLessThanOrEqual(80);
    expect(readdirSync(dir).filter((name) => name.startsWith('mnestra-'))).toEqual([]);
    for (const bad of [
      ['--frame', '3'],
      ['--frame', String(FRAMES), '--add', '20,20'],
      ['--frame', '3', '--add', '20'],
      ['--frame', '3', '--add', `${W},20`],
      ['--frame', '3', '--box', '1,2,0,5'],
    ]) {
      expect(run(...bad).status).toBe(2);
    }
  });
});

describe('mnestra probe', () => {
  it('prints what a clip is', () => {
    const { stdout, status } = mnestra('probe', shot.clip);
    expect(status).toBe(0);
    expect(JSON.parse(String(stdout))).toMatchObject({ width: W, height: H, frames: FRAMES, codec: 'h264' });
  });
});
