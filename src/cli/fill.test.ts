import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { ChildProcess, SpawnSyncReturns } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import type { RenderedShot } from '../../demo/render.ts';
import { smallBoardwalk } from '../../demo/testing/smallBoardwalk.ts';
import { isRunning } from '../media/alive.ts';
import { Workspace } from './testing/workspace.ts';

// What is filled in, and from what.

const [W, H, FRAMES] = [384, 216, 24];

const work = new Workspace();
let shot: RenderedShot;
const at = (name: string): string => work.at(name);
const mnestra = (...args: string[]): SpawnSyncReturns<Buffer> => work.mnestra(...args);
const planes = (path: string, pix = 'yuv420p'): Buffer => work.samples(path, pix);
beforeAll(() => {
  shot = smallBoardwalk(at('demo'), FRAMES);
});
afterAll(() => work.remove());

const fill = (output: string, ...more: string[]): SpawnSyncReturns<Buffer> =>
  mnestra('fill', '--input', shot.clip, '--matte', shot.matte, '--output', at(output), '--quiet', ...more);

/** What is asked for, once it is there. */
async function eventually<T>(ask: () => T | undefined | false): Promise<T> {
  for (let k = 0; k < 1200; k++) {
    const found = ask();
    if (found) return found;
    await new Promise((resolve) => setTimeout(resolve, 25));
  }
  throw new Error('It did not happen.');
}

/** The process that another one has started with such a word in its arguments. */
const childOf = (parent: number, word: string): number | undefined =>
  readFileSync(`/proc/${parent}/task/${parent}/children`, 'utf8')
    .split(' ')
    .map(Number)
    .find((pid) => pid > 0 && readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(word));

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
    process.env.MNESTRA_MEMORY_MIB = '305';
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
    work.writeGrey('empty.mkv', [W, H], FRAMES, () => 0);
    const files = ['--input', shot.clip, '--matte', at('empty.mkv'), '--output', at('same.mkv')];
    const { status } = mnestra('fill', ...files, '--quiet');
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

  it('does not blame the footage when the program that reads it is killed', () => {
    const path = process.env.PATH;
    mkdirSync(at('killed'));
    writeFileSync(at('killed/ffprobe'), '#!/bin/sh\nkill -9 $$\n', { mode: 0o755 });
    process.env.PATH = `${at('killed')}:${path}`;
    const { status, stderr } = fill('no.mkv');
    process.env.PATH = path;
    expect(String(stderr)).toMatch(/ffprobe was stopped before its end \(SIGKILL\)/);
    expect(status).toBe(4);
    expect(existsSync(at('no.mkv'))).toBe(false);
  });

  it('names both sizes when the matte does not fit, and leaves no scratch behind', () => {
    work.writeGrey('square.mkv', [100, 100], FRAMES, () => 255);
    const files = ['--input', shot.clip, '--matte', at('square.mkv'), '--output', at('no.mkv')];
    const { status, stderr } = mnestra('fill', ...files);
    expect(String(stderr)).toMatch(/100x100.*384x216/);
    expect(status).toBe(3);
    expect(existsSync(at('no.mkv'))).toBe(false);
    expect(work.scratch()).toEqual([]);
  });

  it('ends at once when interrupted, with nothing half-written', async () => {
    const args = ['fill', '--input', shot.clip, '--matte', shot.matte, '--output', at('cut.mkv'), '--quiet'];
    const child = work.start(...args);
    const atWork = (): boolean => work.scratch().length > 0;
    for (let k = 0; k < 600 && !atWork(); k++) await new Promise((resolve) => setTimeout(resolve, 50));
    expect(atWork()).toBe(true);
    const asked = Date.now();
    child.kill('SIGINT');
    const code = await new Promise((resolve) => child.once('close', resolve));
    expect(code).toBe(130);
    expect(Date.now() - asked).toBeLessThan(6000);
    expect(work.scratch()).toEqual([]);
    expect(readdirSync(work.folder).filter((f) => f.startsWith('cut'))).toEqual([]);
  });

  describe('whose computing has a process of its own,', () => {
    const begin = async (output: string): Promise<{ child: ChildProcess; computing: number }> => {
      const child = work.start('fill', '--input', shot.clip, '--matte', shot.matte, '--output', at(output), '--quiet');
      const computing = await eventually(() => childOf(child.pid!, 'takeProcess'));
      // It has begun.
      await eventually(() => work.scratch().find((name) => existsSync(at(`${name}/take/motion.bin`))));
      return { child, computing };
    };
    const ended = (child: ChildProcess): Promise<unknown> => new Promise((resolve) => child.once('close', resolve));

    it('ends when both are interrupted', async () => {
      const { child, computing } = await begin('cut.mkv');
      // A key in a terminal interrupts both.
      process.kill(computing, 'SIGINT');
      child.kill('SIGINT');
      expect(await ended(child)).toBe(130);
      expect(isRunning(computing)).toBe(false);
      expect(work.scratch()).toEqual([]);
    });

    it('says so when the system kills it, with nothing half-written', async () => {
      const { child, computing } = await begin('cut.mkv');
      let said = '';
      child.stderr!.on('data', (chunk: Buffer) => (said += String(chunk)));
      process.kill(computing, 'SIGKILL');
      expect(await ended(child)).toBe(4);
      expect(said).toMatch(/stopped before its end \(SIGKILL\): memory is short/);
      expect(readdirSync(work.folder).filter((f) => f.startsWith('cut'))).toEqual([]);
      expect(work.scratch()).toEqual([]);
    });

    it('does not go on when nobody waits', async () => {
      const { child, computing } = await begin('cut.mkv');
      child.kill('SIGKILL');
      await ended(child);
      await eventually(() => !isRunning(computing));
      work.scratch().forEach((name) => rmSync(at(name), { recursive: true }));
    });
  });

  it('takes away what a killed one left behind, and nothing that is in use', async () => {
    const child = work.start('fill', '--input', shot.clip, '--matte', shot.matte, '--output', at('cut.mkv'), '--quiet');
    for (let k = 0; k < 600 && work.scratch().length === 0; k++)
      await new Promise((resolve) => setTimeout(resolve, 50));
    const left = work.scratch();
    expect(left).toHaveLength(1);
    expect(mnestra('probe', shot.clip).status).toBe(0);
    expect(work.scratch()).toEqual(left);
    child.kill('SIGKILL');
    await new Promise((resolve) => child.once('close', resolve));
    expect(work.scratch()).toEqual(left);
    expect(fill('after.mkv', '--draft').status).toBe(0);
    expect(work.scratch()).toEqual([]);
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
    work.ffmpeg('-f', 'lavfi', '-i', 'color=red:s=64x64', '-frames:v', '1', at('small.png'));
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
    work.writeGrey('held.mkv', [W, H], FRAMES, () => 255);
    const input = ['--quiet', '--input', shot.clip, '--matte', shot.matte];
    expect(mnestra('fill', ...input, '--holdout', held, '--output', at('kept.mkv')).status).toBe(0);
    expect(planes(at('kept.mkv')).equals(planes(shot.clip))).toBe(true);
  });
});
