import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import type { ErrorBody } from '../contract/errors.ts';
import type { MoverOutlines, SearchView } from '../contract/movers.ts';
import { newRemoval } from '../contract/document.ts';
import type { ShotState, ShotView } from '../contract/shots.ts';
import type { RevealView } from '../contract/takes.ts';
import { sharpPoints } from '../core/shapes/shape.ts';
import { setRotation } from '../media/encode.ts';
import { Harness } from './testing/harness.ts';

const FRAMES = 40;
const [W, H] = [320, 180];
/** What was found may reach a few px farther on the side to which it moves. */
const NEAR_PX = 10;
const house = new Harness(7607);

/** A texture that pans by 1 px a frame, and a dark block that crosses it from the right by 6 px a frame. */
const CROSSING =
  `nullsrc=s=420x180:r=25:d=${FRAMES / 25},geq=lum='120+40*sin(X/3)*cos(Y/5)+30*sin((X+2*Y)/11)':cb=120:cr=130,` +
  `noise=alls=60:all_seed=3,gblur=sigma=1.5,crop=320:180:x=n:y=0[ground];` +
  `color=c=0x302018:s=24x60:r=25:d=${FRAMES / 25}[block];[ground][block]overlay=x='280-6*n':y=70,format=yuv420p`;

async function newShot(name: string, first = 0, last = FRAMES - 1): Promise<ShotView> {
  await house.upload(name, readFileSync(house.at(name)));
  const { id: clipId } = await house.settled(name);
  const body = { clipId, name: 'Crossing', first, last, handleBefore: 0, handleAfter: 0 };
  return (await house.call<ShotView>('POST', '/shots', body)).body;
}

async function searched(shot: ShotView): Promise<SearchView> {
  expect((await house.call('POST', `/shots/${shot.id}/movers`)).status).toBe(202);
  return house.until(async () => {
    const { search } = (await house.call<{ search: SearchView }>('GET', `/shots/${shot.id}/movers`)).body;
    return ['queued', 'running'].includes(search.state) ? undefined : search;
  }, 'the search');
}

const outlinesOf = async (shot: ShotView, mover: number): Promise<MoverOutlines> =>
  (await house.call<MoverOutlines>('GET', `/shots/${shot.id}/movers/${mover}/outlines`)).body;

/** Middle of an outline. */
const middle = (places: number[]): [number, number] =>
  [0, 1].map((axis) => {
    const all = places.filter((_, i) => i % 2 === axis);
    return (Math.min(...all) + Math.max(...all)) / 2;
  }) as [number, number];

let shot: ShotView;
/** The clip of the block that casts a shadow. */
let castClip: string;

beforeAll(async () => {
  await house.begin();
  house.film('crossing.mp4', CROSSING, '-crf', '14');
  shot = await newShot('crossing.mp4');
});
afterAll(() => house.end());

describe('a search for what moves', () => {
  it('lists what moves against the background, with its path and its outline on every frame', async () => {
    expect((await house.call('GET', `/shots/${shot.id}/movers`)).body).toEqual({ search: null });
    const { state, movers, from, to } = await searched(shot);
    expect([state, from, to, movers.length]).toEqual(['done', 0, FRAMES - 1, 1]);
    const [{ first, last, best, box, path }] = movers;
    expect([first, last]).toEqual([0, FRAMES - 1]);
    expect(best).toBeGreaterThanOrEqual(first);
    expect(box[2]).toBeGreaterThan(20);
    expect(path).toHaveLength(2 * FRAMES);
    const outlines = await outlinesOf(shot, 0);
    for (const t of [5, 20, 30]) {
      const [x, y] = middle(outlines[t]);
      expect(Math.abs(x - (280 - 6 * t + 11.5))).toBeLessThan(NEAR_PX);
      expect(Math.abs(y - 99.5)).toBeLessThan(NEAR_PX);
    }
  });

  it('tells a mover from the shadow that it casts', async () => {
    // The shadow reaches 46 px to the right of the block's foot, and darkens the ground to six tenths.
    const light = '(1-0.4*between(X,290-6*N,349-6*N)*between(Y,108,131))';
    const chroma = (plane: string): string => `'128+(${plane}(X,Y)-128)*${light}'`;
    const shade = `geq=lum='lum(X,Y)*${light}':cb=${chroma('cb')}:cr=${chroma('cr')}`;
    // Ground without hard texture: what a shadow changes must be more than what half a px changes.
    const soft = CROSSING.replace('120+40*sin(X/3)*cos(Y/5)+30*', '150+20*sin(X/7)*cos(Y/5)+10*').replace(
      'alls=60',
      'alls=40',
    );
    const shaded = soft.replace('[ground];', `,${shade}[ground];`);
    house.film('shaded.mp4', shaded, '-crf', '14');
    const cast = await newShot('shaded.mp4');
    castClip = cast.clipId;
    await searched(cast);
    const whole = await outlinesOf(cast, 0);
    const path = `/shots/${cast.id}/movers/0/outlines-without-shadow`;
    const body = (await house.call<MoverOutlines>('GET', path)).body;
    const right = (places: number[]): number => Math.max(...places.filter((_, i) => i % 2 === 0));
    for (const t of [20, 24, 28]) {
      expect(Math.abs(right(whole[t]) - (350 - 6 * t))).toBeLessThan(1.5 * NEAR_PX);
      expect(Math.abs(right(body[t]) - (280 - 6 * t + 24))).toBeLessThan(1.5 * NEAR_PX);
    }
  });

  it('misses a shadow in the matte only where that is to go', async () => {
    const shots = (await house.call<ShotView[]>('GET', '/shots')).body;
    const cast = shots.find((s) => s.clipId === castClip)!;
    const path = `/shots/${cast.id}/movers/0/outlines-without-shadow`;
    const outlines = (await house.call<MoverOutlines>('GET', path)).body;
    const keys = Object.fromEntries(
      Object.entries(outlines).map(([frame, places]) => [frame, { ease: 'linear', points: sharpPoints(places) }]),
    );
    const flagged = async (more: object): Promise<number> => {
      const id = randomUUID();
      const shape = { name: 'Body', rank: 1, kind: 'path', operation: 'add', keys };
      const value = { ...newRemoval({}, 'Block'), ...more, grow: 4, shapes: { [randomUUID()]: shape } };
      const { revision } = (await house.call<ShotState>('GET', `/shots/${cast.id}`)).body;
      const patch = [{ op: 'add', path: `/removals/${id}`, value }];
      const edit = { editId: randomUUID(), base: revision, label: 'Mark', patch };
      expect((await house.call('POST', `/shots/${cast.id}/edits`, edit)).status).toBe(200);
      const reveal = await house.until(async () => {
        const { body } = await house.call<RevealView>('GET', `/shots/${cast.id}/reveals/${id}`);
        return body.state === 'working' ? undefined : body;
      }, 'the reveal');
      return reveal.data!.coverage!.flagged.length;
    };
    const [missed, left] = [await flagged({}), await flagged({ shadowStays: true })];
    expect(missed).toBeGreaterThan(FRAMES / 2);
    expect(left).toBeLessThan(missed / 3);
  });

  it('counts frames as the clip does, and places as the picture is shown', async () => {
    await setRotation(house.at('crossing.mp4'), house.at('turned.mp4'), 90);
    const turned = await newShot('turned.mp4', 10, 35);
    const { movers } = await searched(turned);
    expect(movers).toHaveLength(1);
    expect([movers[0].first, movers[0].last]).toEqual([10, 35]);
    const { rotation } = (await house.settled('turned.mp4')).info!;
    const outlines = await outlinesOf(turned, 0);
    const [x, y] = middle(outlines[20]);
    const [sx, sy] = [280 - 6 * 20 + 11.5, 99.5];
    const [wx, wy] = rotation === 90 ? [H - 1 - sy, sx] : [sy, W - 1 - sx];
    expect(Math.abs(x - wx)).toBeLessThan(NEAR_PX);
    expect(Math.abs(y - wy)).toBeLessThan(NEAR_PX);
  });

  it('is taken up by the next worker when one is killed, and can be stopped', async () => {
    expect((await house.call('POST', `/shots/${shot.id}/movers`)).status).toBe(202);
    await house.kill(house.worker);
    await house.startWorker();
    const again = await house.until(async () => {
      const { search } = (await house.call<{ search: SearchView }>('GET', `/shots/${shot.id}/movers`)).body;
      return search.state === 'done' ? search : undefined;
    }, 'the next worker');
    expect(again.movers).toHaveLength(1);
    expect(await stoppedInTime()).toBe(true);
  });

  /** Starts searches until one is stopped before it is done: that of a small clip may be over between two calls. */
  async function stoppedInTime(): Promise<boolean> {
    for (let tries = 0; tries < 6; tries++) {
      await house.call('POST', `/shots/${shot.id}/movers`);
      expect((await house.call('POST', `/shots/${shot.id}/movers/cancel`)).status).toBe(200);
      const { state } = await house.until(async () => {
        const { search } = (await house.call<{ search: SearchView }>('GET', `/shots/${shot.id}/movers`)).body;
        return ['cancelled', 'done'].includes(search.state) ? search : undefined;
      }, 'the stop');
      if (state === 'cancelled') return true;
    }
    return false;
  }

  it('refuses what is not there with a code', async () => {
    const codes = async (path: string, method = 'GET'): Promise<[number, string]> => {
      const { status, body } = await house.call<ErrorBody>(method, path);
      return [status, body.code];
    };
    expect(await codes(`/shots/${shot.id}/movers/0/outlines`)).toEqual([404, 'not_found']);
    expect(await codes(`/shots/${shot.id}/movers/-1/outlines`)).toEqual([400, 'bad_request']);
    expect(await codes(`/shots/${randomUUID()}/movers`)).toEqual([404, 'not_found']);
    expect(await codes(`/shots/${randomUUID()}/movers`, 'POST')).toEqual([404, 'not_found']);
  });
});
