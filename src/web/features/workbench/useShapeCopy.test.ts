import { beforeEach, expect, it } from '@jest/globals';
import { addRemoval, addShape, setKey } from '../../document/edits.ts';
import { addTrack, rideOn } from '../../document/trackEdits.ts';
import { boundsOf } from '../../marks/pathEdits.ts';
import { rectanglePoints } from '../../../core/shapes/shape.ts';
import { openQuietly, startQuietly } from '../../testing/quietServer.ts';
import { useStage } from './stageStore.ts';
import { useShapeCopy } from './useShapeCopy.ts';

beforeEach(() => startQuietly(9));

/** A box of 40 by 20 px with keys on frames 0 and 4, chosen; 10 px farther to the right on the second. */
async function bench() {
  const doc = await openQuietly();
  const stage = useStage();
  const copy = useShapeCopy();
  let [removal, box, track] = ['', '', ''];
  doc.edit('Make it', (draft) => {
    removal = addRemoval(draft);
    box = addShape(draft.removals[removal], 'rectangle', 0, rectanglePoints(10, 10, 50, 30));
    setKey(draft.removals[removal].shapes[box], 4, rectanglePoints(20, 10, 60, 30));
    track = addTrack(draft, 0, [0, 0, 100, 0, 100, 100, 0, 100]);
    // Twice as large on frame 4.
    draft.tracks[track].frames = { 4: [1, 0, 0, 200, 0, 200, 200, 0, 200] };
  });
  stage.selectRemoval(removal);
  stage.selectShape(box);
  const shapes = () => doc.document.removals[removal].shapes;
  const chosen = () => shapes()[stage.shapeId];
  return { doc, stage, copy, removal, box, track, shapes, chosen };
}

it('comes with all of its keys to where the pointer is, and is chosen', async () => {
  const { copy, chosen, shapes, box } = await bench();
  copy(4, { x: 140, y: 70 });
  expect(chosen().name).toBe('Box 2');
  expect(boundsOf(chosen().keys[4].points)).toEqual({ x: 120, y: 60, width: 40, height: 20 });
  expect(boundsOf(chosen().keys[0].points)).toEqual({ x: 110, y: 60, width: 40, height: 20 });
  expect(boundsOf(shapes()[box].keys[0].points)).toEqual({ x: 10, y: 10, width: 40, height: 20 });
});

it('comes beside it without a pointer', async () => {
  const { copy, chosen } = await bench();
  copy(0);
  expect(boundsOf(chosen().keys[0].points)).toEqual({ x: 50, y: 10, width: 40, height: 20 });
});

it('rides on the same track, and lies under the pointer at the frame on the screen', async () => {
  const { doc, copy, chosen, removal, box, track } = await bench();
  doc.edit('Ride', (draft) => rideOn(draft, draft.removals[removal].shapes[box], track, 0));
  copy(4, { x: 140, y: 70 });
  expect(chosen().rides).toEqual({ track, home: 0 });
  // On frame 4 everything is twice as large as at home: px 140 70 there is 70 35 here.
  expect(boundsOf(chosen().keys[0].points)).toEqual({ x: 50, y: 25, width: 40, height: 20 });
});

it('a copy of a variant counts by itself; what was found by pointing is not copied', async () => {
  const { doc, stage, copy, chosen, removal, box } = await bench();
  doc.edit('Vary', (draft) => (draft.removals[removal].shapes[box].variant = { of: 'v', off: true }));
  copy(0);
  expect(chosen().variant).toBeUndefined();
  const copied = stage.shapeId;
  doc.edit('Found', (draft) => (draft.removals[removal].shapes[copied].outline = { anchors: {}, lost: [] }));
  copy(0);
  expect(stage.shapeId).toBe(copied);
});
