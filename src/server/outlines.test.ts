import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { SETTINGS_DEFAULTS, type ShapeNode } from '../contract/document.ts';
import type { ErrorBody } from '../contract/errors.ts';
import { RECT_HEADER, type MatteView, type SoftenBody } from '../contract/mattes.ts';
import type { PointedOutline } from '../contract/outlines.ts';
import type { ShotState, ShotView } from '../contract/shots.ts';
import type { FollowView } from '../contract/tracks.ts';
import { sharpPoints } from '../core/shapes/shape.ts';
import { setRotation } from '../media/encode.ts';
import { Harness } from './testing/harness.ts';

const FRAMES = 30;
/** How far a found edge may lie from the true one, px. */
const NEAR_PX = 3;
const house = new Harness(7613);

/** A green texture, and a red block of 40x60 px whose corner goes from (20, 70) to the right by 6 px a frame. */
const textured = (colour: string, size: string, seed: number, noise: number): string =>
  `color=c=${colour}:s=${size}:r=25:d=${FRAMES / 25},noise=alls=${noise}:all_seed=${seed},gblur=sigma=1`;
const GOING =
  `${textured('0x4a7040', '320x180', 3, 20)}[ground];${textured('0xb03028', '40x60', 5, 24)}[block];` +
  `[ground][block]overlay=x='14+6*n':y=70,format=yuv420p`;
/** The same block goes past in front of a yellow one of 36x40 px, which stands. */
const STANDS = [100, 84, 135, 123];
const PASSING =
  `${textured('0x4a7040', '320x180', 3, 20)}[ground];${textured('0xb03028', '40x60', 5, 24)}[block];` +
  `${textured('0xc0b040', '36x40', 7, 24)}[other];[ground][other]overlay=x=${STANDS[0]}:y=${STANDS[1]}[behind];` +
  `[behind][block]overlay=x='14+6*n':y=70,format=yuv420p`;

async function newShot(name: string): Promise<ShotView> {
  await house.upload(name, readFileSync(house.at(name)));
  const { id: clipId } = await house.settled(name);
  const body = { clipId, name: 'Going', first: 0, last: FRAMES - 1, handleBefore: 0, handleAfter: 0 };
  return (await house.call<ShotView>('POST', '/shots', body)).body;
}

const stateOf = async (shot: ShotView): Promise<ShotState> =>
  (await house.call<ShotState>('GET', `/shots/${shot.id}`)).body;

const point = async (shot: ShotView, body: object): Promise<{ status: number; body: PointedOutline }> =>
  house.call<PointedOutline>('POST', `/shots/${shot.id}/outlines`, { add: [], remove: [], ...body });

/** Left, top, right and bottom of an outline. */
function boxOf(places: readonly number[]): number[] {
  const [xs, ys] = [0, 1].map((axis) => places.filter((_, i) => i % 2 === axis));
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

const expectNear = (found: readonly number[], truth: readonly number[]): void =>
  truth.forEach((v, i) => expect(Math.abs(found[i] - v)).toBeLessThan(NEAR_PX));

const blockAt = (frame: number): number[] => [20 + 6 * frame, 70, 59 + 6 * frame, 129];

/** @returns Its id. */
async function edit(shot: ShotView, patch: object[]): Promise<string> {
  const { revision } = await stateOf(shot);
  const body = { editId: randomUUID(), base: revision, label: 'Change', patch };
  expect((await house.call('POST', `/shots/${shot.id}/edits`, body)).status).toBe(200);
  return body.editId;
}

/** A path around a box. */
const around = ([x0, y0, x1, y1]: readonly number[]): ShapeNode['keys'][string]['points'] =>
  sharpPoints([x0, y0, x1, y0, x1, y1, x0, y1]);

/** A removal with one outline that was pointed at in some frames. @returns The paths of both. */
async function pointed(shot: ShotView, frames: number[]): Promise<{ shapeId: string; path: string }> {
  const [removalId, shapeId] = [randomUUID(), randomUUID()];
  const keys: ShapeNode['keys'] = {};
  for (const frame of frames) {
    keys[frame] = { ease: 'linear', points: around(blockAt(frame)) };
  }
  const anchors = Object.fromEntries(frames.map((f) => [f, { add: [], remove: [], mends: true }]));
  const shape: ShapeNode = {
    name: 'Block',
    rank: 1,
    kind: 'path',
    operation: 'add',
    outline: { anchors, lost: [] },
    visible: { from: frames[0], to: frames.at(-1)! },
    keys,
  };
  const removal = {
    ...{ name: 'Block', rank: 1, hidden: false, grow: 0, featherIn: 0, featherOut: 2 },
    settings: SETTINGS_DEFAULTS,
    shapes: { [shapeId]: shape },
  };
  await edit(shot, [{ op: 'add', path: `/removals/${removalId}`, value: removal }]);
  return { shapeId, path: `/removals/${removalId}/shapes/${shapeId}` };
}

async function followed(shot: ShotView, shapeId: string): Promise<FollowView> {
  const answer = await house.call<FollowView>('POST', `/shots/${shot.id}/shapes/${shapeId}/follow`, {});
  expect(answer.status).toBe(202);
  return house.until(async () => {
    const list = (await house.call<FollowView[]>('GET', `/shots/${shot.id}/follows`)).body;
    const now = list.find((f) => f.id === answer.body.id)!;
    return ['queued', 'running'].includes(now.state) ? undefined : now;
  }, 'the outline');
}

const shapeOf = async (shot: ShotView, id: string): Promise<ShapeNode> => {
  const { removals } = (await stateOf(shot)).document;
  return Object.values(removals).find((r) => id in r.shapes)!.shapes[id];
};
const outlineAt = ({ keys }: ShapeNode, frame: number): number[] => keys[frame].points.flatMap(({ x, y }) => [x, y]);

let shot: ShotView;

beforeAll(async () => {
  await house.begin();
  house.film('going.mp4', GOING, '-crf', '12');
  house.film('passing.mp4', PASSING, '-crf', '12');
  shot = await newShot('going.mp4');
});
afterAll(() => house.end());

describe('pointing', () => {
  it('finds the outline of what a click, a box or a scribble means', async () => {
    for (const body of [
      { add: [[100, 100]] },
      { add: [], box: [68, 60, 65, 80] },
      { add: [[86, 80, 100, 100, 110, 120]] },
    ]) {
      const { status, body: found } = await point(shot, { frame: 10, ...body });
      expect(status).toBe(200);
      expectNear(boxOf(found.outline), blockAt(10));
    }
  });

  it('uses what moves once the shot has been searched', async () => {
    await house.call('POST', `/shots/${shot.id}/movers`);
    await house.until(async () => {
      const { search } = (await house.call<{ search: { state: string } }>('GET', `/shots/${shot.id}/movers`)).body;
      return search.state === 'done' || undefined;
    }, 'the search');
    expectNear(boxOf((await point(shot, { frame: 10, add: [[100, 100]] })).body.outline), blockAt(10));
  });

  it('paints on an outline and erases from it, px by px', async () => {
    const prior = [100, 40, 140, 40, 140, 80, 100, 80];
    const more = await point(shot, { frame: 0, add: [[120, 60, 180, 60]], prior, brush: 20 });
    expectNear(boxOf(more.body.outline), [100, 40, 190, 80]);
    const less = await point(shot, { frame: 0, remove: [[100, 40, 100, 80]], prior, brush: 20 });
    expectNear(boxOf(less.body.outline), [110, 40, 140, 80]);
    const none = await point(shot, { frame: 0, remove: [[120, 40, 120, 80]], prior, brush: 90 });
    expect(none.body.outline).toEqual([]);
  });

  it('answers in px of the picture as shown where a clip is shown turned', async () => {
    await setRotation(house.at('going.mp4'), house.at('upright.mp4'), 90);
    const turned = await newShot('upright.mp4');
    const { rotation } = (await house.settled('upright.mp4')).info!;
    // The block's middle in frame 10 is (99.5, 99.5) on the sensor.
    const [x, y] = rotation === 90 ? [179 - 99.5, 99.5] : [99.5, 319 - 99.5];
    const { outline } = (await point(turned, { frame: 10, add: [[x, y]] })).body;
    expectNear(boxOf(outline), [x - 30, y - 20, x + 30, y + 20]);
  });

  it('says what is wrong with what is asked', async () => {
    expect((await point(shot, { frame: FRAMES, add: [[10, 10]] })).status).toBe(404);
    for (const bad of [{ add: [[10, 10]] }, { frame: 0, add: [[]] }, { frame: 0, box: [1, 2, 0, 5] }]) {
      const answer = await point(shot, bad);
      expect([answer.status, (answer.body as unknown as ErrorBody).code]).toEqual([400, 'bad_request']);
    }
  });
});

describe('an outline', () => {
  it('is followed both ways and lies in the document as one edit that can be undone', async () => {
    const { shapeId } = await pointed(shot, [10]);
    expect(await followed(shot, shapeId)).toMatchObject({ state: 'done' });
    const shape = await shapeOf(shot, shapeId);
    expect(shape.visible).toEqual({ from: 0, to: FRAMES - 1 });
    expect(shape.outline!.lost).toEqual([]);
    for (const frame of [0, 5, 20, 29]) expectNear(boxOf(outlineAt(shape, frame)), blockAt(frame));
    expect(outlineAt(shape, 10)).toEqual([80, 70, 119, 70, 119, 129, 80, 129]);
    await house.step(shot.id, 'undo');
    expect(Object.keys((await shapeOf(shot, shapeId)).keys)).toEqual(['10']);
  });

  it('is followed again only where frames are missing', async () => {
    const { shapeId, path } = await pointed(shot, [5, 15]);
    await followed(shot, shapeId);
    const odd = { ease: 'linear', points: sharpPoints([1, 1, 9, 1, 9, 9]) };
    await edit(shot, [
      { op: 'replace', path: `${path}/keys/20`, value: odd },
      { op: 'remove', path: `${path}/keys/10` },
    ]);
    await followed(shot, shapeId);
    const shape = await shapeOf(shot, shapeId);
    expect(outlineAt(shape, 20)).toEqual([1, 1, 9, 1, 9, 9]);
    expectNear(boxOf(outlineAt(shape, 10)), blockAt(10));
  });

  it('of a thing that rests goes on while something passes in front of it, and says where', async () => {
    const passing = await newShot('passing.mp4');
    const { shapeId, path } = await pointed(passing, [2]);
    await edit(passing, [{ op: 'replace', path: `${path}/keys/2/points`, value: around(STANDS) }]);
    await followed(passing, shapeId);
    const shape = await shapeOf(passing, shapeId);
    expect([shape.visible, shape.outline!.lost]).toEqual([{ from: 0, to: FRAMES - 1 }, []]);
    for (const frame of [0, 9, 12, 16, 28]) expectNear(boxOf(outlineAt(shape, frame)), STANDS);
    // The block is over it from frame 7, where its right side comes to 102, to frame 20, where its left side is at 134.
    const held = shape.outline!.held!;
    expect(held.length).toBe(1);
    expect([Math.abs(held[0].from - 7) <= 1, Math.abs(held[0].to - 20) <= 1]).toEqual([true, true]);
    await house.step(passing.id, 'undo');
    expect((await shapeOf(passing, shapeId)).outline!.held).toBeUndefined();
  });

  it('is refused where nothing was pointed at', async () => {
    const { shapeId, path } = await pointed(shot, [5]);
    await edit(shot, [{ op: 'remove', path: `${path}/outline` }]);
    const answer = await house.call<ErrorBody>('POST', `/shots/${shot.id}/shapes/${shapeId}/follow`, {});
    expect([answer.status, answer.body.code]).toEqual([409, 'no_outline']);
    const missing = await house.call<ErrorBody>('POST', `/shots/${shot.id}/shapes/${randomUUID()}/follow`, {});
    expect(missing.body.code).toBe('not_found');
  });

  it('survives the death of the worker that follows it', async () => {
    const { shapeId } = await pointed(shot, [10]);
    await house.call('POST', `/shots/${shot.id}/shapes/${shapeId}/follow`, {});
    await house.kill(house.worker);
    await house.startWorker();
    await house.until(async () => {
      const list = (await house.call<FollowView[]>('GET', `/shots/${shot.id}/follows`)).body;
      return list.find((f) => f.targetId === shapeId)?.state === 'done' || undefined;
    }, 'the next worker');
    expect(Object.keys((await shapeOf(shot, shapeId)).keys).length).toBe(FRAMES);
  });
});

describe('an outline that is softened', () => {
  /** Asks for it, and waits for the edit. @returns The matte that then is a variant of the shape. */
  async function softened(of: ShotView, shapeId: string, more: Partial<SoftenBody> = {}): Promise<[string, ShapeNode]> {
    const body = { reach: 10, ...more };
    const answer = await house.call<MatteView>('POST', `/shots/${of.id}/shapes/${shapeId}/soften`, body);
    expect(answer.status).toBe(202);
    const { id } = answer.body;
    const node = await house.until(async () => {
      const { removals } = (await stateOf(of)).document;
      return Object.values(removals).find((r) => id in r.shapes)?.shapes[id];
    }, 'the matte');
    return [id, node];
  }
  /** Left, top, right and bottom of what is at least half of it in a frame of a matte, and how many px are neither all nor nothing. */
  async function pictureOf(id: string, frame: number): Promise<{ box: number[]; partly: number }> {
    const answer = await fetch(`${house.host}/api/mattes/${id}/frames/${frame}`);
    const [x, y, width] = answer.headers.get(RECT_HEADER)!.split(',').map(Number);
    const values = [...new Uint8Array(await answer.arrayBuffer())];
    const inside = values.flatMap((v, i) => (v >= 128 ? [x + (i % width), y + Math.floor(i / width)] : []));
    return { box: boxOf(inside), partly: values.filter((v) => v > 20 && v < 235).length };
  }

  it('becomes a matte with the edge that the picture shows, which counts in its place; one undo takes that back', async () => {
    const { shapeId } = await pointed(shot, [4, 12]);
    const [id, node] = await softened(shot, shapeId);
    expect(node).toMatchObject({ kind: 'matte', operation: 'add', matte: { file: id, count: 9, start: 4, pace: 1 } });
    expect(node.variant!.off).toBe(false);
    expect((await shapeOf(shot, shapeId)).variant).toEqual({ of: node.variant!.of, off: true });
    for (const frame of [0, 4, 8]) {
      const { box, partly } = await pictureOf(id, frame);
      blockAt(4 + frame).forEach((v, i) => expect(Math.abs(box[i] - v)).toBeLessThan(2));
      // The block is 200 px around, and blurred over two or three.
      expect(partly).toBeGreaterThan(100);
    }
    await house.step(shot.id, 'undo');
    expect((await shapeOf(shot, shapeId)).variant).toBeUndefined();
  });

  it('is of nothing but what moves in it, if a rough one is to be told apart; one undo takes it back with its outline', async () => {
    const { shapeId, path } = await pointed(shot, [12]);
    const [x0, y0, x1, y1] = blockAt(12);
    const value = { ease: 'linear', points: around([x0 - 9, y0 - 7, x1 + 8, y1 + 10]) };
    const completes = await edit(shot, [{ op: 'add', path: `${path}/keys/12`, value }]);
    const [id] = await softened(shot, shapeId, { reach: 4, apart: true, completes });
    const { box } = await pictureOf(id, 0);
    blockAt(12).forEach((v, i) => expect(Math.abs(box[i] - v)).toBeLessThan(2));
    await house.step(shot.id, 'undo');
    const shape = await shapeOf(shot, shapeId);
    expect([shape.variant, boxOf(outlineAt(shape, 12))]).toEqual([undefined, blockAt(12)]);
  });

  it('lies on the picture as shown where a clip is shown turned', async () => {
    const turned = await newShot('upright.mp4');
    const { rotation } = (await house.settled('upright.mp4')).info!;
    const [x0, y0, x1, y1] = blockAt(10);
    const box = rotation === 90 ? [179 - y1, x0, 179 - y0, x1] : [y0, 319 - x1, y1, 319 - x0];
    const { shapeId, path } = await pointed(turned, [10]);
    await edit(turned, [{ op: 'replace', path: `${path}/keys/10/points`, value: around(box) }]);
    const [id] = await softened(turned, shapeId);
    const found = await pictureOf(id, 0);
    box.forEach((v, i) => expect(Math.abs(found.box[i] - v)).toBeLessThan(2));
  });

  it('is refused where there is none, with a code', async () => {
    const { shapeId } = await pointed(shot, [20]);
    const [id] = await softened(shot, shapeId);
    const ask = async (shape: string, body: object): Promise<[number, string]> => {
      const answer = await house.call<ErrorBody>('POST', `/shots/${shot.id}/shapes/${shape}/soften`, body);
      return [answer.status, answer.body.code];
    };
    expect(await ask(id, { reach: 10 })).toEqual([409, 'no_outline']);
    expect(await ask(randomUUID(), { reach: 10 })).toEqual([404, 'not_found']);
    expect(await ask(shapeId, { reach: 1000 })).toEqual([400, 'bad_request']);
  });
});
