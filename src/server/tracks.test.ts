import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import type { TrackNode } from '../contract/document.ts';
import type { ErrorBody } from '../contract/errors.ts';
import type { ShotState, ShotView } from '../contract/shots.ts';
import type { TakeView } from '../contract/takes.ts';
import type { FollowView, TrackPoints } from '../contract/tracks.ts';
import { readTrackCsv } from '../core/tracking/trackTable.ts';
import { setRotation } from '../media/encode.ts';
import { Harness } from './testing/harness.ts';

const FRAMES = 40;
const house = new Harness(7603);
let clipId: string;

/** A still texture that moves 2 px right and 2 px down a frame. */
const DRIFT =
  `nullsrc=s=480x340:r=25:d=${FRAMES / 25},` +
  `geq=lum='120+40*sin(X/3)*cos(Y/5)+30*sin((X+2*Y)/11)':cb=120:cr=130,` +
  `noise=alls=90:all_seed=3,gblur=sigma=1.5,crop=320:180:x='100-2*n':y='120-2*n',format=yuv420p`;

async function addClip(name: string): Promise<string> {
  await house.upload(name, readFileSync(house.at(name)));
  return (await house.settled(name)).id;
}

beforeAll(async () => {
  await house.begin();
  house.film('drift.mp4', DRIFT, '-crf', '12');
  clipId = await addClip('drift.mp4');
});
afterAll(() => house.end());

const corners = (x: number, y: number, side = 60): number[] => [x, y, x + side, y, x + side, y + side, x, y + side];

async function newShot(clip = clipId): Promise<ShotView> {
  const body = { clipId: clip, name: 'Drift', first: 0, last: FRAMES - 1, handleBefore: 0, handleAfter: 0 };
  return (await house.call<ShotView>('POST', '/shots', body)).body;
}

const stateOf = async (shot: ShotView): Promise<ShotState> =>
  (await house.call<ShotState>('GET', `/shots/${shot.id}`)).body;

async function edit(shot: ShotView, patch: object[]): Promise<void> {
  const { revision } = await stateOf(shot);
  const body = { editId: randomUUID(), base: revision, label: 'Change', patch };
  expect((await house.call('POST', `/shots/${shot.id}/edits`, body)).status).toBe(200);
}

async function newTrack(shot: ShotView, anchors: Record<number, number[]>): Promise<string> {
  const id = randomUUID();
  const value: TrackNode = {
    name: 'Wall',
    rank: 1,
    parts: ['shift', 'scale', 'rotation', 'shear', 'perspective'],
    anchors,
    frames: {},
    losses: [],
  };
  await edit(shot, [{ op: 'add', path: `/tracks/${id}`, value }]);
  return id;
}

async function followed(shot: ShotView, trackId: string, body: object = {}): Promise<FollowView> {
  const answer = await house.call<FollowView>('POST', `/shots/${shot.id}/tracks/${trackId}/follow`, body);
  expect(answer.status).toBe(202);
  return house.until(async () => {
    const list = (await house.call<FollowView[]>('GET', `/shots/${shot.id}/follows`)).body;
    const now = list.find((f) => f.id === answer.body.id)!;
    return ['queued', 'running'].includes(now.state) ? undefined : now;
  }, 'the track');
}

const trackOf = async (shot: ShotView, id: string): Promise<TrackNode> => (await stateOf(shot)).document.tracks[id];

describe('a track', () => {
  it('is followed both ways from its anchor, and lies in the document as one edit that can be undone', async () => {
    const shot = await newShot();
    const id = await newTrack(shot, { 20: corners(120, 60) });
    expect(await followed(shot, id)).toMatchObject({ state: 'done' });
    const { frames, losses } = await trackOf(shot, id);
    expect([Object.keys(frames).length, losses]).toEqual([FRAMES, []]);
    for (let t = 0; t < FRAMES; t++) {
      const [confidence, x, y] = frames[t];
      expect(confidence).toBeGreaterThan(0.8);
      expect(Math.abs(x - (120 + 2 * (t - 20)))).toBeLessThan(0.3);
      expect(Math.abs(y - (60 + 2 * (t - 20)))).toBeLessThan(0.3);
    }
    await house.step(shot.id, 'undo');
    expect((await trackOf(shot, id)).frames).toEqual({});
    await house.step(shot.id, 'redo');
    expect(Object.keys((await trackOf(shot, id)).frames).length).toBe(FRAMES);
    const csv = await fetch(`${house.host}/api/shots/${shot.id}/tracks/${id}/csv`);
    expect(readTrackCsv(await csv.text()).map((r) => r.frame)).toEqual([...Array(FRAMES).keys()]);
  });

  it('that completes an edit is undone and made again with it, unless another edit lies between', async () => {
    const shot = await newShot();
    const id = await newTrack(shot, { 20: corners(120, 60) });
    const editId = randomUUID();
    const set = async (): Promise<void> => {
      const { revision } = await stateOf(shot);
      const patch = [{ op: 'add', path: `/tracks/${id}/anchors/25`, value: corners(130, 70) }];
      const body = { editId, base: revision, label: 'Set a corner', patch };
      expect((await house.call('POST', `/shots/${shot.id}/edits`, body)).status).toBe(200);
    };
    const step = (way: 'undo' | 'redo'): Promise<unknown> => house.step(shot.id, way);
    const counts = async (): Promise<[number, number]> => {
      const { anchors, frames } = await trackOf(shot, id);
      return [Object.keys(anchors).length, Object.keys(frames).length];
    };
    await set();
    await followed(shot, id, { completes: editId });
    expect([(await stateOf(shot)).undo, await counts()]).toEqual(['Set a corner', [2, FRAMES]]);
    await step('undo');
    expect([(await stateOf(shot)).redo, await counts()]).toEqual(['Set a corner', [1, 0]]);
    await step('redo');
    expect([(await stateOf(shot)).redo, await counts()]).toEqual([null, [2, FRAMES]]);
    await edit(shot, [{ op: 'replace', path: `/tracks/${id}/name`, value: 'Gate' }]);
    await edit(shot, [{ op: 'remove', path: `/tracks/${id}/frames/30` }]);
    await followed(shot, id, { completes: editId });
    await step('undo');
    expect(await counts()).toEqual([2, FRAMES - 1]);
  });

  it('tells what it holds on to on a frame, and how much each place is trusted', async () => {
    const shot = await newShot();
    const id = await newTrack(shot, { 20: corners(120, 60) });
    const at = async (frame: number): Promise<number[]> =>
      (await house.call<TrackPoints>('GET', `/shots/${shot.id}/tracks/${id}/points/${frame}`)).body.points;
    expect(await at(25)).toEqual([]);
    await followed(shot, id);
    const points = await at(25);
    expect(points.length % 3).toBe(0);
    expect(points.length).toBeGreaterThan(3 * 4);
    const [left, top, , , right, bottom] = (await trackOf(shot, id)).frames[25].slice(1);
    for (let i = 0; i < points.length; i += 3) {
      expect(points[i]).toBeGreaterThanOrEqual(left - 1);
      expect(points[i]).toBeLessThanOrEqual(right + 1);
      expect(points[i + 1]).toBeGreaterThanOrEqual(top - 1);
      expect(points[i + 1]).toBeLessThanOrEqual(bottom + 1);
      expect(points[i + 2]).toBeLessThanOrEqual(1);
    }
    const unknown = await house.call('GET', `/shots/${shot.id}/tracks/${randomUUID()}/points/25`);
    expect(unknown.status).toBe(404);
  });

  it('is solved again only where frames are missing', async () => {
    const shot = await newShot();
    const id = await newTrack(shot, { 5: corners(100, 50), 30: corners(150, 100) });
    await followed(shot, id);
    const before = await trackOf(shot, id);
    // What lies outside stays even though it is wrong.
    const odd = [0.5, ...corners(1, 2)];
    await edit(shot, [
      { op: 'replace', path: `/tracks/${id}/frames/35`, value: odd },
      { op: 'remove', path: `/tracks/${id}/frames/10` },
    ]);
    await followed(shot, id);
    const after = await trackOf(shot, id);
    expect(after.frames[35]).toEqual(odd);
    expect(after.frames[10]).toEqual(before.frames[10]);
    expect(after.frames[5].slice(1)).toEqual(corners(100, 50));
  });

  it('goes the same way in a clip that is shown turned', async () => {
    await setRotation(house.at('drift.mp4'), house.at('turned.mp4'), 90);
    const shot = await newShot(await addClip('turned.mp4'));
    const { rotation } = (await house.settled('turned.mp4')).info!;
    const id = await newTrack(shot, { 10: corners(60, 120) });
    await followed(shot, id);
    const { frames } = await trackOf(shot, id);
    // Right and down on the sensor: turned by 90° clockwise, down and left; by 270°, up and right.
    const [dx, dy] = rotation === 90 ? [-2, 2] : [2, -2];
    expect(Math.abs(frames[30][1] - (60 + 20 * dx))).toBeLessThan(0.3);
    expect(Math.abs(frames[30][2] - (120 + 20 * dy))).toBeLessThan(0.3);
  });

  it('stopped, keeps what was found; a killed worker’s following is taken up by the next', async () => {
    const shot = await newShot();
    const id = await newTrack(shot, { 0: corners(60, 40) });
    const { body } = await house.call<FollowView>('POST', `/shots/${shot.id}/tracks/${id}/follow`, {});
    await house.kill(house.worker);
    await house.startWorker();
    await house.until(async () => {
      const [now] = (await house.call<FollowView[]>('GET', `/shots/${shot.id}/follows`)).body;
      return now.state === 'done' ? now : undefined;
    }, 'the next worker');
    expect(Object.keys((await trackOf(shot, id)).frames).length).toBe(FRAMES);
    expect((await house.call('POST', `/follows/${body.id}/cancel`)).status).toBe(200);
  });

  it('whose anchors are changed while it is followed, does not get what was found from the old ones', async () => {
    const shot = await newShot();
    const id = await newTrack(shot, { 0: corners(60, 40), 20: corners(100, 80) });
    const { body } = await house.call<FollowView>('POST', `/shots/${shot.id}/tracks/${id}/follow`, {});
    // Perhaps before, perhaps while it is followed: what is written must fit the anchors in either case.
    await edit(shot, [{ op: 'remove', path: `/tracks/${id}/anchors/20` }]);
    await house.until(async () => {
      const list = (await house.call<FollowView[]>('GET', `/shots/${shot.id}/follows`)).body;
      return list.find((f) => f.id === body.id)!.state === 'done' ? true : undefined;
    }, 'the track');
    const { frames } = await trackOf(shot, id);
    // With frame 20 as an anchor it would be there with exactly its corners, and a confidence of 1.
    expect(frames[20]?.[0]).not.toBe(1);
  });

  it('is refused with a code and a next step', async () => {
    const shot = await newShot();
    const nowhere = await house.call<ErrorBody>('POST', `/shots/${shot.id}/tracks/${randomUUID()}/follow`, {});
    expect([nowhere.status, nowhere.body.code]).toEqual([404, 'not_found']);
    const id = await newTrack(shot, { 0: corners(60, 40) });
    const far = await house.call<ErrorBody>('POST', `/shots/${shot.id}/tracks/${id}/follow`, { first: 900, last: 950 });
    expect([far.status, far.body.code]).toEqual([400, 'bad_range']);
    const { revision } = await stateOf(shot);
    const broken = { op: 'add', path: `/tracks/${id}/frames/3`, value: [2, 1] };
    const answer = await house.call<ErrorBody>('POST', `/shots/${shot.id}/edits`, {
      editId: randomUUID(),
      base: revision,
      label: 'Break it',
      patch: [broken],
    });
    expect([answer.status, answer.body.code]).toEqual([400, 'bad_document']);
  });
});

describe('a shape that rides', () => {
  it('is filled where its track takes it; a take says when the track has changed', async () => {
    const shot = await newShot();
    const id = await newTrack(shot, { 20: corners(120, 60) });
    await followed(shot, id);
    const removalId = randomUUID();
    const corner = (x: number, y: number): object => ({ x, y, inX: 0, inY: 0, outX: 0, outY: 0 });
    const points = [corner(140, 80), corner(160, 80), corner(160, 100), corner(140, 100)];
    const shape = {
      name: 'Box 1',
      rank: 1,
      kind: 'rectangle',
      operation: 'add',
      rides: { track: id, home: 20 },
      keys: { 20: { ease: 'linear', points } },
    };
    const removal = {
      ...{ name: 'Spot', rank: 1, hidden: false, grow: 0, featherIn: 0, featherOut: 2 },
      settings: { reach: 50, light: 100, grain: false },
      shapes: { [randomUUID()]: shape },
    };
    await edit(shot, [{ op: 'add', path: `/removals/${removalId}`, value: removal }]);
    const start = await house.call<TakeView>('POST', `/shots/${shot.id}/takes`, { removalId, draft: true });
    const take = await house.until(async () => {
      const { body } = await house.call<TakeView>('GET', `/takes/${start.body.id}`);
      return ['queued', 'running'].includes(body.state) ? undefined : body;
    }, 'the take');
    expect(take).toMatchObject({ state: 'done', stale: false });
    // The box of 20 px with its feather is in sight on every frame.
    expect(take.outcome!.hole / FRAMES).toBeGreaterThan(15);
    await edit(shot, [{ op: 'replace', path: `/tracks/${id}/frames/30`, value: [0.9, ...corners(10, 10)] }]);
    expect((await house.call<TakeView>('GET', `/takes/${take.id}`)).body.stale).toBe(true);
  });
});
