import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import {
  createWriteStream,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import yazl from 'yazl';
import { setRotation } from './encode.ts';
import { rasterFile } from './rasterFile.ts';
import { matteVideo, readMatte } from './readMatte.ts';

const [W, H] = [64, 48];
let dir: string;
const at = (name: string): string => join(dir, name);

function ffmpeg(...args: string[]): void {
  const { status, stderr } = spawnSync('ffmpeg', ['-nostdin', '-loglevel', 'error', '-y', ...args]);
  if (status !== 0) throw new Error(String(stderr));
}

/** A white square of 10 px whose left side is at 4·n, on 12 frames; the first is empty. */
const SQUARE =
  `nullsrc=s=${W}x${H}:r=25:d=0.48,format=gray,` + `geq=lum='255*gt(N,0)*between(X,4*N,4*N+9)*between(Y,20,29)'`;

beforeAll(async () => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-matte-'));
  ffmpeg('-f', 'lavfi', '-i', SQUARE, '-c:v', 'ffv1', '-pix_fmt', 'gray', at('grey.mkv'));
  ffmpeg('-f', 'lavfi', '-i', SQUARE, '-c:v', 'libx264', '-qp', '0', '-pix_fmt', 'yuv420p', at('colour.mp4'));
  ffmpeg('-f', 'lavfi', '-i', SQUARE, '-start_number', '8', at('m_%d.png'));
  await zip('numbered.zip', pictures());
});
afterAll(() => rmSync(dir, { recursive: true, force: true }));

const pictures = (): [string, Buffer][] =>
  readdirSync(dir)
    .filter((name) => /^m_\d+\.png$/.test(name))
    .map((name) => [`shots/${name}`, readFileSync(at(name))]);

async function zip(name: string, entries: [string, Buffer][]): Promise<void> {
  const out = new yazl.ZipFile();
  for (const [inside, bytes] of entries) out.addBuffer(bytes, inside);
  out.end();
  await pipeline(out.outputStream, createWriteStream(at(name)));
}

const read = (name: string, size: [number, number] = [W, H]): Promise<number> =>
  readMatte({
    ...{ path: at(name), width: size[0], height: size[1], out: at('out'), scratch: at('scratch') },
    onProgress: () => undefined,
  });

describe('a matte that was made elsewhere', () => {
  it.each(['grey.mkv', 'colour.mp4', 'numbered.zip'])('%s: is read frame by frame', async (name) => {
    expect(await read(name)).toBe(12);
    const frames = rasterFile(at('out'));
    expect([frames(0), frames(12)]).toEqual([undefined, undefined]);
    for (const n of [1, 3, 11]) {
      const { rect, values } = frames(n)!;
      expect(rect).toEqual({ x: 4 * n, y: 20, width: 10, height: 10 });
      expect(values.every((v) => v > 250)).toBe(true);
    }
    expect(existsSync(at('scratch'))).toBe(false);
  });

  it('lies as a player shows it', async () => {
    await setRotation(at('colour.mp4'), at('turned.mp4'), 90);
    expect(await read('turned.mp4', [H, W])).toBe(12);
    expect(rasterFile(at('out'))(1)!.rect).toEqual({ x: 18, y: 4, width: 10, height: 10 });
  });

  it('becomes a video for the command line, from a zip or a folder of pictures', async () => {
    mkdirSync(at('folder'), { recursive: true });
    for (const [name, bytes] of pictures()) writeFileSync(join(at('folder'), name.split('/')[1]), bytes);
    writeFileSync(join(at('folder'), '._m_3.png'), 'what a file system left');
    const as = (name: string, width = W): Promise<string> =>
      matteVideo(at(name), at('made.mkv'), { width, height: H, scratch: at('scratch') });
    const samples = (path: string): Buffer =>
      spawnSync('ffmpeg', ['-loglevel', 'error', '-i', path, '-pix_fmt', 'gray', '-f', 'rawvideo', '-']).stdout;
    const wanted = samples(at('grey.mkv'));
    expect(wanted).toHaveLength(12 * W * H);
    for (const name of ['numbered.zip', 'folder']) {
      expect(await as(name)).toBe(at('made.mkv'));
      expect(samples(at('made.mkv')).equals(wanted)).toBe(true);
      rmSync(at('made.mkv'));
    }
    // A video, and what is not there, is for ffmpeg to judge.
    for (const name of ['grey.mkv', 'nowhere.mkv']) expect(await as(name)).toBe(at(name));
    await expect(as('folder', 80)).rejects.toMatchObject({ code: 'matte_size' });
    mkdirSync(at('bare'));
    await expect(as('bare')).rejects.toMatchObject({ code: 'not_matte' });
    writeFileSync(join(at('bare'), 'a.png'), 'no picture, whatever its name says');
    await expect(as('bare')).rejects.toMatchObject({ code: 'not_matte' });
    expect(existsSync(at('scratch'))).toBe(false);
    expect(existsSync(at('made.mkv'))).toBe(false);
  });

  it('is refused with a sentence if it is none, and leaves nothing behind', async () => {
    await zip('empty.zip', [['readme.txt', Buffer.from('nothing')]]);
    await zip('false.zip', [['a.png', Buffer.from('this is no picture, whatever its name says')]]);
    await zip('paths.zip', [['a/b/__MACOSX/._x.png', Buffer.alloc(9)], ...pictures().slice(0, 2)]);
    writeFileSync(at('cut.zip'), readFileSync(at('numbered.zip')).subarray(0, 900));
    const cases: [string, [number, number], string][] = [
      ['grey.mkv', [W, 40], 'matte_size'],
      ['numbered.zip', [80, H], 'matte_size'],
      ['empty.zip', [W, H], 'not_matte'],
      ['false.zip', [W, H], 'not_matte'],
      ['cut.zip', [W, H], 'not_matte'],
      ['m_8.png', [W, 47], 'matte_size'],
    ];
    rmSync(at('out'), { force: true });
    for (const [name, size, code] of cases) {
      await expect(read(name, size)).rejects.toMatchObject({ code });
      expect([existsSync(at('out')), existsSync(at('out.part')), existsSync(at('scratch'))]).toEqual([
        false,
        false,
        false,
      ]);
    }
    // What a packer of archives leaves beside the pictures is passed over.
    expect(await read('paths.zip')).toBe(2);
  });
});
