import { beforeEach, describe, expect, it } from '@jest/globals';
import type { FollowView } from '../../../contract/tracks.ts';
import { rectanglePoints } from '../../../core/shapes/shape.ts';
import { addRemoval, addShape } from '../../document/edits.ts';
import { addTrack, rideOn } from '../../document/trackEdits.ts';
import { answerQuietly, openQuietly, refusal, startQuietly, tell, type Asked } from '../../testing/quietServer.ts';
import { useStage } from './stageStore.ts';
import { useTracks } from './tracksStore.ts';
import { useWork } from './workStore.ts';

const region = [0, 0, 10, 0, 10, 10, 0, 10];
const settle = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 20));
const view = (targetId: string, more: Partial<FollowView> = {}): FollowView =>
  ({ id: `follow ${targetId}`, shotId: 's', targetId, state: 'running', found: {}, ...more }) as FollowView;

/** What the server is following, and how it answers a wish to follow. */
let follows: FollowView[];
let started: () => unknown;
let asked: Asked[];

/** A shot with two tracks; a box of its one thing rides on the second. */
async function bench() {
  const doc = await openQuietly();
  const [stage, tracks, work] = [useStage(), useTracks(), useWork()];
  asked = answerQuietly(({ method, path }) => {
    if (method === 'POST') return started();
    return path.endsWith('/follows') ? follows : undefined;
  });
  let ids = { one: '', two: '', removal: '', box: '' };
  doc.edit('Set up', (draft) => {
    const [one, two] = [addTrack(draft, 0, region), addTrack(draft, 0, region)];
    const removal = addRemoval(draft);
    const shapes = draft.removals[removal];
    const box = addShape(shapes, 'rectangle', 0, rectanglePoints(0, 0, 10, 10));
    rideOn(draft, shapes.shapes[box], two, 0);
    ids = { one, two, removal, box };
  });
  await settle();
  await tracks.open();
  return { doc, stage, tracks, work, ...ids };
}

const posted = (): Asked[] => asked.filter(({ method }) => method === 'POST');

beforeEach(() => {
  startQuietly(9);
  follows = [];
  started = () => undefined;
});

describe('the track that is worked on', () => {
  it('is the chosen shape’s, else the chosen one, else the first of the removal', async () => {
    const { stage, tracks, one, two, removal, box } = await bench();
    expect(tracks.currentId).toBe('');
    stage.selectRemoval(removal);
    expect(tracks.currentId).toBe(two);
    stage.trackId = one;
    expect(tracks.currentId).toBe(one);
    stage.selectShape(box);
    expect([tracks.currentId, tracks.current?.name]).toEqual([two, 'Track 2']);
  });

  it('is not that of a chosen shape which rides on nothing: that one is to be followed by itself', async () => {
    const { doc, stage, tracks, removal, box } = await bench();
    stage.selectRemoval(removal);
    expect(tracks.choseUnridden).toBe(false);
    stage.selectShape(box);
    expect(tracks.choseUnridden).toBe(false);
    let other = '';
    doc.edit('Draw', (draft) => {
      other = addShape(draft.removals[removal], 'rectangle', 0, rectanglePoints(50, 50, 60, 60));
    });
    stage.selectShape(other);
    expect(tracks.choseUnridden).toBe(true);
    tracks.followShape(0, region);
    expect([tracks.choseUnridden, tracks.current?.name]).toEqual([false, 'Track 3']);
  });

  it('is none that was deleted', async () => {
    const { doc, stage, tracks, one } = await bench();
    stage.trackId = one;
    doc.edit('Delete', (draft) => void delete draft.tracks[one]);
    expect(tracks.currentId).toBe('');
  });
});

describe('what is being followed', () => {
  const found = { 1: { corners: region, confidence: 0.9 } } as unknown as FollowView['found'];

  it('is laid over the tracks of the document while it runs, and not once it has ended', async () => {
    const { tracks, one, two } = await bench();
    follows = [view(one, { found }), view(two, { found, state: 'done' })];
    tell({ kind: 'follow', shotId: 's' } as Parameters<typeof tell>[0]);
    await settle();
    expect([Object.keys(tracks.tracks[one].frames), Object.keys(tracks.tracks[two].frames)]).toEqual([['1'], []]);
    expect([tracks.isBusy(one), tracks.isBusy(two)]).toEqual([true, false]);
  });

  it('of another shot, or of what is not there any more, changes nothing', async () => {
    const { tracks } = await bench();
    follows = [view('gone', { found })];
    const before = asked.length;
    tell({ kind: 'follow', shotId: 'another' } as Parameters<typeof tell>[0]);
    await settle();
    expect(asked).toHaveLength(before);
    await tracks.open();
    expect(Object.keys(tracks.tracks)).toHaveLength(2);
  });
});

describe('following', () => {
  it('is asked for once the server knows the edits, for the chosen frames', async () => {
    const { doc, stage, tracks, one } = await bench();
    stage.choose(2, 6);
    started = () => view(one);
    follows = [view(one)];
    const edit = doc.edit('Move', (draft) => void (draft.tracks[one].anchors[3] = region))!;
    const done = tracks.follow(one, edit);
    expect([posted(), doc.unsent, tracks.isBusy(one)]).toEqual([[], 1, true]);
    await done;
    const body = { first: 2, last: 6, completes: edit };
    expect(posted()).toEqual([{ method: 'POST', path: `/shots/s/tracks/${one}/follow`, body }]);
    expect([doc.unsent, tracks.isBusy(one)]).toEqual([0, true]);
  });

  it('on looks again where it was lost, and one undo takes both back', async () => {
    const { doc, stage, tracks, one } = await bench();
    doc.edit('Followed', (draft) => {
      draft.tracks[one].frames = { 1: [0.9, ...region], 2: [0.1, ...region], 3: [0.1, ...region] };
      draft.tracks[one].losses = [{ from: 2, to: 3, reason: 'hidden' }];
    });
    stage.choose(3, 8);
    started = () => view(one);
    await tracks.followOn(one);
    const { frames, losses } = doc.document.tracks[one];
    expect([Object.keys(frames), losses]).toEqual([['1', '2'], [{ from: 2, to: 2, reason: 'hidden' }]]);
    expect(posted().map(({ body }) => body)).toEqual([{ first: 3, last: 8, completes: expect.any(String) }]);
    stage.choose();
    doc.edit('Found', (draft) => void (draft.tracks[one].losses = []));
    await tracks.followOn(one);
    expect(posted().at(-1)?.body).toEqual({});
  });

  it('that is refused says why, and the track is not busy any more', async () => {
    const { tracks, work, one } = await bench();
    started = () => refusal('There is nothing to follow.');
    await tracks.follow(one);
    expect([work.failure, tracks.isBusy(one)]).toEqual(['There is nothing to follow.', false]);
  });

  it('is not forgotten over a list that was asked for before', async () => {
    const { tracks, one } = await bench();
    let answer: (list: FollowView[]) => void = () => undefined;
    const before = [new Promise<FollowView[]>((resolve) => (answer = resolve))];
    answerQuietly(({ method }) => (method === 'POST' ? view(one) : (before.pop() ?? [view(one)])));
    const opening = tracks.open();
    await tracks.follow(one);
    answer([]);
    await opening;
    expect(tracks.isBusy(one)).toBe(true);
  });

  it('is stopped by the id of what runs; where nothing runs nothing is asked', async () => {
    const { tracks, one, two } = await bench();
    follows = [view(one)];
    await tracks.open();
    tracks.stop(two);
    tracks.stop(one);
    await settle();
    expect(posted().map(({ path }) => path)).toEqual([`/follows/follow ${one}/cancel`]);
  });

  it('begins with a new track where a shape is to be followed, on which the shape rides', async () => {
    const { doc, stage, tracks, removal, box } = await bench();
    stage.selectRemoval(removal);
    stage.selectShape(box);
    tracks.followShape(4, region);
    await settle();
    const { rides } = doc.document.removals[removal].shapes[box];
    expect([rides?.home, Object.keys(doc.document.tracks).length]).toEqual([4, 3]);
    expect(doc.document.tracks[rides!.track].anchors).toEqual({ 4: region });
    expect(posted()[0].path).toBe(`/shots/s/tracks/${rides!.track}/follow`);
  });
});

describe('what a track holds on to', () => {
  it('is asked of the server for a frame, and nothing where it does not know', async () => {
    const { stage, tracks, one } = await bench();
    stage.trackId = one;
    asked = answerQuietly(({ path }) => (path.endsWith('/points/3') ? { points: [1, 2, 0.5] } : refusal('No.')));
    expect([await tracks.pointsAt(3), await tracks.pointsAt(4)]).toEqual([[1, 2, 0.5], []]);
    expect(asked[0].path).toBe(`/shots/s/tracks/${one}/points/3`);
  });
});
