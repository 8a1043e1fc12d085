import { expect } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { createHash, randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { deserialize } from 'node:v8';
import type { RemovalNode } from '../../contract/document.ts';
import type { ShotState, ShotView } from '../../contract/shots.ts';
import type { ExportBody, ExportView, TakeView } from '../../contract/takes.ts';
import type { Patch } from '../../core/fill/finish.ts';
import type { Harness } from './harness.ts';

/** Size of the footage, and its frames. */
export const [W, H, FRAMES] = [320, 180, 72];
/** Bytes of a frame. */
export const FRAME = (W * H * 3) / 2;

/** A texture that moves by whole pixels, with a box that walks over it. */
export const WALK =
  `nullsrc=s=480x200:r=25:d=${FRAMES / 25},` +
  `geq=lum='120+40*sin(X/3)*cos(Y/5)+30*sin((X+2*Y)/11)':cb='120+20*sin(X/17)':cr='130+20*cos(Y/13)',` +
  `noise=alls=70:all_seed=3,gblur=sigma=1.3,crop=${W}:${H}:x='2*n':y=10[ground];` +
  `color=c=red:s=30x70:r=25:d=${FRAMES / 25}[box];` +
  `[ground][box]overlay=x='20+3.2*n':y=60,noise=alls=5:allf=t:all_seed=7,format=yuv420p`;

/** Raw frames of a file, all planes. */
export function raw(path: string, format: string): Buffer {
  const args = ['-nostdin', '-loglevel', 'error', '-i', path, '-map', '0:v:0', '-fps_mode', 'passthrough'];
  const { status, stdout } = spawnSync('ffmpeg', [...args, '-f', 'rawvideo', '-pix_fmt', format, '-'], {
    maxBuffer: 1 << 28,
  });
  expect(status).toBe(0);
  return stdout;
}

/** That footage in a house of its own, shots of it, and what is made of them. */
export function walkIn(house: Harness) {
  let clipId = '';
  async function begin(): Promise<void> {
    await house.begin();
    const sound = ['-f', 'lavfi', '-i', 'sine=d=3', '-c:a', 'aac', '-shortest'];
    await house.upload('walk.mp4', house.film('walk.mp4', WALK, ...sound));
    clipId = (await house.settled('walk.mp4')).id;
  }

  /** Around the box, which moves 3.2 px per frame. */
  async function newShot(removals: Record<string, RemovalNode>, more: object = {}): Promise<ShotView> {
    const body = { clipId, name: 'Walk', first: 8, last: 63, handleBefore: 8, handleAfter: 8, ...more };
    const shot = (await house.call<ShotView>('POST', '/shots', body)).body;
    await change(shot, 0, removals);
    return shot;
  }

  const change = (shot: ShotView, base: number, removals: Record<string, RemovalNode>) =>
    house.call<ShotState>('POST', `/shots/${shot.id}/edits`, {
      editId: randomUUID(),
      base,
      label: 'Mark',
      patch: Object.entries(removals).map(([id, value]) => ({ op: 'add', path: `/removals/${id}`, value })),
    });

  const start = async (shot: ShotView, removalId: string, draft = false): Promise<TakeView> => {
    const answer = await house.call<TakeView>('POST', `/shots/${shot.id}/takes`, { removalId, draft });
    expect(answer.status).toBe(202);
    return answer.body;
  };
  const takeNow = async (id: string): Promise<TakeView> => (await house.call<TakeView>('GET', `/takes/${id}`)).body;
  const finished = (id: string): Promise<TakeView> =>
    house.until(async () => {
      const take = await takeNow(id);
      return take.state === 'queued' || take.state === 'running' ? undefined : take;
    }, 'the take');
  const STAGE_ORDER = [
    'waiting',
    'decode',
    'mattes',
    'motion',
    'reveal',
    'gather',
    'behind',
    'unseen',
    'finish',
    'preview',
  ];
  /** Starts takes until one is caught at a stage: the last stages of a small clip may be over between two looks. */
  async function takeAt(shot: ShotView, removalId: string, stage: string): Promise<TakeView> {
    for (let tries = 0; tries < 6; tries++) {
      const { id } = await start(shot, removalId);
      const seen = await house.until(async () => {
        const take = await takeNow(id);
        return take.state === 'done' || STAGE_ORDER.indexOf(take.stage) >= STAGE_ORDER.indexOf(stage)
          ? take
          : undefined;
      }, stage);
      if (seen.state !== 'done') return seen;
    }
    throw new Error(`no take was seen at ${stage}`);
  }

  async function exported(shot: ShotView, body: ExportBody): Promise<{ row: ExportView; path: string }> {
    const { body: row } = await house.call<ExportView>('POST', `/shots/${shot.id}/exports`, body);
    const end = await house.until(async () => {
      const rows = (await house.call<ExportView[]>('GET', `/shots/${shot.id}/exports`)).body;
      const now = rows.find((r) => r.id === row.id)!;
      return now.state === 'queued' || now.state === 'running' ? undefined : now;
    }, 'the export');
    return { row: end, path: house.at(`data/exports/${row.id}/${row.fileName}`) };
  }

  /** A hash of all finished samples of a take, by chunk. */
  function samplesOf(take: string): string[] {
    return Array.from({ length: FRAMES / 8 }, (_, k) => {
      const hash = createHash('sha256');
      const patches = deserialize(readFileSync(house.at(`data/takes/${take}/finish-${k}.bin`))) as Patch[];
      for (const { frame, rect, planes } of patches) {
        hash.update(JSON.stringify([frame, rect]));
        for (const p of planes) hash.update(new Uint8Array(p.buffer, p.byteOffset, p.byteLength));
      }
      return hash.digest('hex');
    });
  }

  return { begin, newShot, change, start, takeNow, finished, takeAt, exported, samplesOf };
}
