import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { existsSync, mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { RenderedShot } from '../../demo/render.ts';
import { smallBoardwalk } from '../../demo/testing/smallBoardwalk.ts';
import { Workspace } from './testing/workspace.ts';

// Footage that is odd, and what must hold for any footage.

const FRAMES = 24;
const [W, H] = [352, 192];
const LOSSLESS = ['-pix_fmt', 'yuv420p', '-c:v', 'ffv1'];
const GREY = ['-pix_fmt', 'gray', '-c:v', 'ffv1'];

const work = new Workspace();
let shot: RenderedShot;
const at = (name: string): string => work.at(name);
const ffmpeg = (...args: string[]): Buffer => work.ffmpeg(...args);
const grey = (name: string, filter?: string): Buffer => work.samples(name, 'gray', filter);

beforeAll(() => {
  shot = smallBoardwalk(at('demo'), FRAMES);
  ffmpeg('-i', shot.clip, '-vf', `crop=${W}:${H}:0:0`, ...LOSSLESS, at('clip.mkv'));
  ffmpeg('-i', shot.matte, '-vf', `crop=${W}:${H}:0:0`, ...GREY, at('matte.mkv'));
  fill('clip.mkv', 'matte.mkv', 'fill.mkv');
});
afterAll(() => work.remove());

interface Report {
  motion: { cuts: number[]; tripod: boolean };
  fill: { frame: number; hole: number; unseen: number }[];
  notices: string[];
}

function fill(clip: string, matte: string, output: string, ...more: string[]): Report {
  const files = ['--input', at(clip), '--matte', at(matte), '--output', at(output), '--report', at('report.json')];
  work.run('fill', ...files, '--quiet', '--no-grain', ...more);
  return JSON.parse(readFileSync(at('report.json'), 'utf8')) as Report;
}

/** Mean difference of two greys where a matte is white, levels; and the share of px that this is about. */
function differenceIn(matte: Buffer, a: Buffer, b: Buffer): number {
  let [sum, n] = [0, 0];
  for (let i = 0; i < matte.length; i++) {
    if (matte[i] < 255) continue;
    sum += Math.abs(a[i] - b[i]);
    n++;
  }
  expect(n).toBeGreaterThan(1000);
  return sum / n;
}

describe('whatever the footage', () => {
  it('the thing is gone: what follows compares fills with this one', () => {
    expect(differenceIn(grey('matte.mkv'), grey('fill.mkv'), grey('clip.mkv'))).toBeGreaterThan(12);
  });

  it('a matte as a folder of pictures gives the same bits as the video', () => {
    mkdirSync(at('pictures'));
    ffmpeg('-i', at('matte.mkv'), join(at('pictures'), 'matte.%d.png'));
    fill('clip.mkv', 'pictures', 'pictures-fill.mkv');
    const [a, b] = ['fill.mkv', 'pictures-fill.mkv'].map((name) => ffmpeg('-i', at(name), '-f', 'framemd5', '-'));
    expect(String(b)).toBe(String(a));
  });

  it('a shot moved by whole pixels gives the moved fill', () => {
    const moved = `crop=${W}:${H}:16:16`;
    ffmpeg('-i', shot.clip, '-vf', moved, ...LOSSLESS, at('moved.mkv'));
    ffmpeg('-i', shot.matte, '-vf', moved, ...GREY, at('moved-matte.mkv'));
    fill('moved.mkv', 'moved-matte.mkv', 'moved-fill.mkv');
    const both = [`crop=${W - 16}:${H - 16}:16:16`, `crop=${W - 16}:${H - 16}:0:0`];
    const [a, b] = [grey('fill.mkv', both[0]), grey('moved-fill.mkv', both[1])];
    // What is invented depends on the place in the frame, and corners are found near other borders.
    expect(differenceIn(grey('matte.mkv', both[0]), a, b)).toBeLessThan(2);
  });

  it('a shot run backwards gives the fill run backwards', () => {
    ffmpeg('-i', at('clip.mkv'), '-vf', 'reverse', ...LOSSLESS, at('back.mkv'));
    ffmpeg('-i', at('matte.mkv'), '-vf', 'reverse', ...GREY, at('back-matte.mkv'));
    fill('back.mkv', 'back-matte.mkv', 'back-fill.mkv');
    // Not the same bits: corners are found in the earlier frame of a pair, which is now the later one.
    expect(differenceIn(grey('matte.mkv'), grey('fill.mkv'), grey('back-fill.mkv', 'reverse'))).toBeLessThan(2);
  });

  it('frames beyond the reach, with nothing to remove, change nothing', () => {
    ffmpeg('-i', at('clip.mkv'), '-vf', 'reverse', ...LOSSLESS, at('back.mkv'));
    ffmpeg('-i', at('back.mkv'), '-vf', 'geq=lum=0:cb=128:cr=128', ...GREY, at('empty.mkv'));
    const joined = ['-filter_complex', '[0:v][1:v]concat'];
    ffmpeg('-i', at('clip.mkv'), '-i', at('back.mkv'), ...joined, ...LOSSLESS, at('long.mkv'));
    ffmpeg('-i', at('matte.mkv'), '-i', at('empty.mkv'), ...joined, ...GREY, at('long-matte.mkv'));
    fill('clip.mkv', 'matte.mkv', 'short-fill.mkv', '--reach', '8');
    fill('long.mkv', 'long-matte.mkv', 'long-fill.mkv', '--reach', '8');
    const files = ['--input', at('clip.mkv'), '--matte', at('matte.mkv'), '--output', at('seen.mkv')];
    work.run('reveal', ...files, '--reach', '8', '--json', at('seen.json'), '--quiet');
    const first = `trim=end_frame=${FRAMES - 8}`;
    const [seen, short, long] = ['seen', 'short-fill', 'long-fill'].map((name) => grey(`${name}.mkv`, first));
    // Of what is seen. Not the same bits: the camera is solved over more frames; and those that follow show what patches would complete.
    expect(differenceIn(seen, short, long)).toBeLessThan(0.5);
  });
});

describe('a film that is cut', () => {
  it('is filled on each side from itself, and that is said', () => {
    // Two pictures that share nothing: the second one is dark and runs the other way up.
    const other = 'reverse,vflip,negate,eq=brightness=-0.3';
    ffmpeg('-i', at('clip.mkv'), '-vf', other, ...LOSSLESS, at('other.mkv'));
    const joined = ['-filter_complex', '[0:v][1:v]concat'];
    ffmpeg('-i', at('clip.mkv'), '-i', at('other.mkv'), ...joined, ...LOSSLESS, at('cut.mkv'));
    ffmpeg('-i', at('matte.mkv'), '-i', at('matte.mkv'), ...joined, ...GREY, at('cut-matte.mkv'));
    const report = fill('cut.mkv', 'cut-matte.mkv', 'cut-fill.mkv');
    expect(report.motion.cuts).toEqual([FRAMES]);
    expect(report.notices.join()).toContain(`at frame ${FRAMES}`);
    const first = `trim=end_frame=${FRAMES}`;
    expect(differenceIn(grey('matte.mkv'), grey('fill.mkv'), grey('cut-fill.mkv', first))).toBeLessThan(1.5);
  });

  it('goes on after a few black frames with what was before them', () => {
    const black =
      "geq=lum='if(between(N,10,12),16,lum(X,Y))':cb='if(between(N,10,12),128,cb(X,Y))':cr='if(between(N,10,12),128,cr(X,Y))'";
    ffmpeg('-i', at('clip.mkv'), '-vf', black, ...LOSSLESS, at('black.mkv'));
    const report = fill('black.mkv', 'matte.mkv', 'black-fill.mkv');
    expect(report.motion.cuts).toEqual([10, 13]);
    const [matte, plain, flashed] = [grey('matte.mkv'), grey('fill.mkv'), grey('black-fill.mkv')];
    const frame = (t: number) => (b: Buffer) => b.subarray(t * W * H, (t + 1) * W * H);
    const inside = [matte, flashed].map(frame(11));
    // The black frames stay black, and what follows is filled as before.
    expect(differenceIn(inside[0], inside[1], Buffer.alloc(W * H))).toBeLessThan(4);
    const after = [matte, plain, flashed].map(frame(20));
    expect(differenceIn(after[0], after[1], after[2])).toBeLessThan(3);
  });
});

describe('sources', () => {
  /** A wall that repeats every 64 px, past which the camera travels by 2 px per frame; nothing shows what is behind the hole. */
  beforeAll(() => {
    const wall = '120+50*sin(2*PI*X/64)*cos(Y/9)+30*cos(2*PI*X/16+Y/7)+0.15*Y';
    const picture = `geq=lum='${wall}':cb=120:cr=134`;
    ffmpeg(
      '-f',
      'lavfi',
      '-i',
      'color=s=480x192:r=25',
      '-vf',
      `${picture},crop=${W}:${H}:2*n:0`,
      '-frames:v',
      '12',
      ...LOSSLESS,
      at('wall.mkv'),
    );
    const hole = "geq=lum='if(between(X,120-2*N,179-2*N)*between(Y,60,119),255,0)'";
    ffmpeg(
      '-f',
      'lavfi',
      '-i',
      `color=s=${W}x${H}:r=25`,
      '-vf',
      `format=gray,${hole}`,
      '-frames:v',
      '12',
      ...GREY,
      at('wall-matte.mkv'),
    );
  });
  const offIn = (name: string): number => differenceIn(grey('wall-matte.mkv'), grey('wall.mkv'), grey(name));

  it('a donor is copied from where it lies, moving with the background', () => {
    fill('wall.mkv', 'wall-matte.mkv', 'donor.mkv', '--sources', 'donor', '--donor', '3,64,0');
    expect(offIn('donor.mkv')).toBeLessThan(1.5);
    fill('wall.mkv', 'wall-matte.mkv', 'wrong.mkv', '--sources', 'donor', '--donor', '3,80,0');
    expect(offIn('wrong.mkv')).toBeGreaterThan(10);
    // One that is a little off is moved to where the pattern goes on, if there is such a place.
    fill('wall.mkv', 'wall-matte.mkv', 'fitted.mkv', '--sources', 'donor', '--donor', '3,71,4', '--fit-donor');
    expect(offIn('fitted.mkv')).toBeLessThan(1.5);
    const nowhere = ['--sources', 'donor', '--donor', '3,700,0', '--fit-donor'];
    expect(() => fill('wall.mkv', 'wall-matte.mkv', 'nowhere.mkv', ...nowhere)).toThrow('goes on from what surrounds');
    expect(existsSync(at('nowhere.mkv'))).toBe(false);
  });

  it('colours continue smoothly what surrounds the hole', () => {
    fill('wall.mkv', 'wall-matte.mkv', 'colours.mkv', '--sources', 'colours');
    expect(offIn('colours.mkv')).toBeGreaterThan(10);
    const [matte, smooth] = [grey('wall-matte.mkv'), grey('colours.mkv')];
    let steps = 0;
    // Neighbours deep inside the hole hardly differ.
    for (let y = 70; y < 110; y++) {
      for (let x = 130; x < 170; x++) {
        expect(matte[y * W + x]).toBe(255);
        steps = Math.max(steps, Math.abs(smooth[y * W + x] - smooth[y * W + x + 1]));
      }
    }
    expect(steps).toBeLessThan(6);
  });

  it('what the first does not know, the next fills', () => {
    // The donor lies out of view for a part of the hole at the left: other frames have nothing either, texture fills it.
    const order = ['--sources', 'donor,texture', '--donor', '0,-128,0'];
    fill('wall.mkv', 'wall-matte.mkv', 'both.mkv', ...order);
    const left = 'crop=60:60:96:60';
    const [a, b] = [grey('wall.mkv', left), grey('both.mkv', left)].map((v) => v.subarray(11 * 3600, 12 * 3600));
    const known = a.reduce((n, v, i) => n + Math.abs(v - b[i]), 0) / 3600;
    expect(known).toBeLessThan(25);
    expect(offIn('both.mkv')).toBeLessThan(25);
  });

  it('that make no sense are refused with what to do', () => {
    const usage = (...more: string[]): string => {
      const files = ['--input', at('wall.mkv'), '--matte', at('wall-matte.mkv'), '--output', at('no.mkv')];
      const { status, stderr } = work.mnestra('fill', ...files, ...more);
      expect(status).toBe(2);
      return String(stderr);
    };
    expect(usage('--sources', 'frames,magic')).toContain('“magic” is none of frames, plate, donor, texture, colours');
    expect(usage('--sources', 'donor')).toContain('--donor N,DX,DY');
    expect(usage('--donor', '1,2')).toContain('three numbers');
    expect(usage('--fit-donor')).toContain('wants --donor');
  });
});

describe('odd footage', () => {
  it('of one frame is completed from its surroundings', () => {
    ffmpeg('-i', at('clip.mkv'), '-frames:v', '1', ...LOSSLESS, at('one.mkv'));
    ffmpeg('-i', at('matte.mkv'), '-frames:v', '1', ...GREY, at('one-matte.mkv'));
    const { fill: frames } = fill('one.mkv', 'one-matte.mkv', 'one-fill.mkv');
    expect(frames).toHaveLength(1);
    expect(frames[0].unseen).toBe(frames[0].hole);
    const [matte, before, after] = ['one-matte.mkv', 'one.mkv', 'one-fill.mkv'].map((name) => grey(name));
    expect(differenceIn(matte, before, after)).toBeGreaterThan(3);
    // Another seed invents it otherwise, the same one in the same way.
    const tries = ['1', '2'].map((seed) => {
      fill('one.mkv', 'one-matte.mkv', 'try.mkv', '--seed', seed);
      return grey('try.mkv');
    });
    expect(tries[0].equals(after)).toBe(true);
    expect(differenceIn(matte, tries[1], after)).toBeGreaterThan(0.5);
  });

  it('that is to go whole is left, with what that means said', () => {
    ffmpeg('-i', at('matte.mkv'), '-vf', "geq=lum='255'", ...GREY, at('all.mkv'));
    const { fill: frames } = fill('clip.mkv', 'all.mkv', 'all-fill.mkv');
    expect(frames.every((f) => f.unseen === f.hole && f.hole === W * H)).toBe(true);
  });

  it('with a matte along every border is filled up to the border', () => {
    const border = `geq=lum='if(lt(X,12)+gte(X,${W - 12})+lt(Y,12)+gte(Y,${H - 12}),255,0)'`;
    ffmpeg('-i', at('matte.mkv'), '-vf', border, ...GREY, at('border.mkv'));
    const { fill: frames } = fill('clip.mkv', 'border.mkv', 'border-fill.mkv');
    expect(frames).toHaveLength(FRAMES);
    // The shot moves: nearly as it was, for it was the background all along.
    expect(differenceIn(grey('border.mkv'), grey('clip.mkv'), grey('border-fill.mkv'))).toBeLessThan(14);
  });

  it.each(['', '--draft'])('of an odd size is filled up to its last column and row %s', (more) => {
    const [w, h, band] = [W - 1, H - 1, 13];
    const stripe = (colour: string): string =>
      `drawbox=${w - band}:0:${band}:${h}:${colour}:fill,drawbox=0:${h - band}:${w}:${band}:${colour}:fill`;
    const size = `scale=${w}:${h}`;
    ffmpeg('-i', at('clip.mkv'), '-vf', `${size},format=yuv444p,${stripe('magenta')}`, ...LOSSLESS, at('uneven.mkv'));
    ffmpeg('-i', at('matte.mkv'), '-vf', `${size},lutyuv=y=0,${stripe('white')}`, ...GREY, at('uneven-matte.mkv'));
    fill('uneven.mkv', 'uneven-matte.mkv', 'uneven-fill.mkv', ...(more ? [more] : []));
    const [cw, ch] = [(w + 1) / 2, (h + 1) / 2];
    const raw = ['uneven', 'uneven-fill'].map((name) =>
      ffmpeg('-i', at(`${name}.mkv`), '-pix_fmt', 'yuv420p', '-f', 'rawvideo', '-'),
    );
    const frame = w * h + 2 * cw * ch;
    expect(raw[1].length).toBe(FRAMES * frame);
    for (let t = 0; t < FRAMES; t++) {
      // Nothing of the stripe's colour is left in the red difference, which it drives to 222.
      const v = t * frame + w * h + cw * ch;
      for (let y = 0; y < ch; y++) expect(raw[1][v + y * cw + cw - 1]).toBeLessThan(165);
      for (let x = 0; x < cw; x++) expect(raw[1][v + (ch - 1) * cw + x]).toBeLessThan(165);
      for (let y = 0; y < h - band; y++) {
        const row = t * frame + y * w;
        expect(raw[0].compare(raw[1], row, row + w - band, row, row + w - band)).toBe(0);
      }
    }
  });

  it('that is interlaced is filled, with what that means said', () => {
    ffmpeg(
      '-i',
      at('clip.mkv'),
      '-vf',
      'setfield=tff',
      '-flags',
      '+ildct',
      ...LOSSLESS,
      '-field_order',
      'tt',
      at('fields.mkv'),
    );
    expect(fill('fields.mkv', 'matte.mkv', 'fields-fill.mkv').notices.join()).toContain('interlaced');
  });
});
