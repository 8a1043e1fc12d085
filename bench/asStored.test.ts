import { mkdtempSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from '@jest/globals';
import { startFfmpeg } from '../src/media/processes.ts';
import { asStored } from './asStored.ts';

const folder = mkdtempSync(join(tmpdir(), 'mnestra-as-stored-'));
const at = (name: string): string => join(folder, name);
const make = (...args: string[]): Promise<void> => startFfmpeg(args).done;
/** Samples of a file as they are stored. */
async function samples(file: string): Promise<Buffer> {
  await make('-noautorotate', '-i', file, '-f', 'rawvideo', '-pix_fmt', 'yuv420p', at('raw'));
  return readFile(at('raw'));
}

describe('asStored', () => {
  it.each([90, 180, 270])(
    'turns what is upright back to how a clip with a turn of %d degrees is stored',
    async (turn) => {
      const source = ['-f', 'lavfi', '-i', 'testsrc=size=64x48:rate=5:duration=1', '-pix_fmt', 'yuv420p'];
      await make(...source, '-c:v', 'libx264', '-qp', '0', at('flat.mp4'));
      await make('-i', at('flat.mp4'), '-c', 'copy', '-metadata:s:v', `rotate=${turn}`, at('clip.mp4'));
      // As a player does, ffmpeg turns what it reads.
      await make('-i', at('clip.mp4'), '-c:v', 'ffv1', at('fill.mkv'));
      const [turned, clip] = [
        await samples(await asStored(at('fill.mkv'), at('clip.mp4'))),
        await samples(at('clip.mp4')),
      ];
      expect(turned.equals(clip)).toBe(true);
      expect((await samples(at('fill.mkv'))).equals(clip)).toBe(false);
    },
  );

  it('leaves a fill alone that lies as its clip does', async () => {
    expect(await asStored(at('fill.mkv'), at('flat.mp4'))).toBe(at('fill.mkv'));
  });
});
