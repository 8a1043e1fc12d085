import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { SpawnSyncReturns } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import type { RenderedShot } from '../../demo/render.ts';
import { smallBoardwalk } from '../../demo/testing/smallBoardwalk.ts';
import { readTrackCsv } from '../core/tracking/trackTable.ts';
import { Workspace } from './testing/workspace.ts';

// What is found out about a shot before anything is filled.

const [W, H, FRAMES] = [384, 216, 24];

const work = new Workspace();
let shot: RenderedShot;
const at = (name: string): string => work.at(name);
const mnestra = (...args: string[]): SpawnSyncReturns<Buffer> => work.mnestra(...args);

beforeAll(() => {
  shot = smallBoardwalk(at('demo'), FRAMES);
});
afterAll(() => work.remove());

/** A grey video with a frame of the footage's size for each of its frames. */
function expectMatte(name: string): void {
  const { stdout } = mnestra('probe', at(name));
  expect(JSON.parse(String(stdout))).toMatchObject({ width: W, height: H, frames: FRAMES, pixelFormat: 'gray' });
}

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
    const grey = work.samples('r.mkv', 'gray');
    expect(grey.length).toBe(W * H * FRAMES);
    expect([...new Set(grey)].every((v) => [0, 85, 170, 255].includes(v))).toBe(true);
    expect(grey.includes(255)).toBe(true);
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
    expect(work.scratch()).toEqual([]);
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
    expectMatte('movers.mkv');
    const { movers, standing } = JSON.parse(readFileSync(at('movers.json'), 'utf8')) as {
      standing: object[];
      movers: { first: number; last: number; frames: { frame: number; box: number[]; middle: number[] }[] }[];
    };
    expect(standing).toEqual([]);
    for (const { first, last, frames } of movers) {
      expect(frames.map((f) => f.frame)).toEqual(Array.from({ length: last - first + 1 }, (_, k) => first + k));
    }
    expect(work.scratch()).toEqual([]);
  });
});

describe('mnestra outline', () => {
  it('outlines what is pointed at and follows it, as a grey video of the footage', () => {
    const run = (...more: string[]) =>
      mnestra('outline', '--quiet', '--input', shot.clip, '--output', at('outline.mkv'), ...more);
    const { status } = run('--frame', '3', '--box', '20,20,60,60', '--json', at('outline.json'));
    expect(status).toBe(0);
    expectMatte('outline.mkv');
    const { frames } = JSON.parse(readFileSync(at('outline.json'), 'utf8')) as {
      frames: { frame: number; confidence: number; box: number[] }[];
    };
    const anchor = frames.find((f) => f.frame === 3)!;
    expect(anchor.confidence).toBe(1);
    expect(anchor.box[0]).toBeGreaterThanOrEqual(20);
    expect(anchor.box[0] + anchor.box[2]).toBeLessThanOrEqual(80);
    expect(work.scratch()).toEqual([]);
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
