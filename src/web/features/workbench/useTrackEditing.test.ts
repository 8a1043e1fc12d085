import { beforeEach, describe, expect, it } from '@jest/globals';
import { nextTick, ref } from 'vue';
import { openQuietly, startQuietly } from '../../testing/quietServer.ts';
import { useStage } from './stageStore.ts';
import { useTrackEditing } from './useTrackEditing.ts';

/** A region of 20 px drawn at frame 0, with a server that answers nothing any more. */
async function bench() {
  const frame = ref(0);
  const doc = await openQuietly();
  const stage = useStage();
  const editing = useTrackEditing(() => frame.value);
  stage.tool = 'region';
  editing.press({ x: 30, y: 40 });
  editing.dragTo({ x: 10, y: 20 });
  editing.drop();
  const track = () => doc.document.tracks[stage.trackId];
  return { frame, doc, stage, editing, track };
}

beforeEach(() => startQuietly(30));

describe('a region on the picture', () => {
  it('is drawn from corner to corner either way, and steering it comes next', async () => {
    const { stage, track, editing } = await bench();
    expect(track().anchors).toEqual({ 0: [10, 20, 30, 20, 30, 40, 10, 40] });
    expect([stage.tool, editing.confidence.value]).toEqual(['steer', 1]);
  });

  it('too small to mean anything, is not made', async () => {
    const { stage, doc, editing } = await bench();
    stage.tool = 'region';
    editing.press({ x: 1, y: 1 });
    editing.dragTo({ x: 4, y: 4 });
    editing.drop();
    expect(Object.keys(doc.document.tracks).length).toBe(1);
  });

  it('gets an anchor where it is dragged, as a whole or by a corner', async () => {
    const { frame, editing, track } = await bench();
    frame.value = 5;
    editing.grab({ kind: 'region' }, { x: 20, y: 30 });
    editing.dragTo({ x: 23, y: 31 });
    editing.drop();
    expect(track().anchors[5]).toEqual([13, 21, 33, 21, 33, 41, 13, 41]);
    editing.grab({ kind: 'corner', index: 2 }, { x: 33, y: 41 });
    editing.dragTo({ x: 35, y: 46 });
    editing.drop();
    expect(track().anchors[5]).toEqual([13, 21, 33, 21, 35, 46, 13, 41]);
  });

  it('gets an anchor where a corner is set by numbers', async () => {
    const { frame, editing, track } = await bench();
    frame.value = 7;
    editing.setCorner(2, 'x', 41.5);
    expect(track().anchors[7]).toEqual([10, 20, 30, 20, 41.5, 40, 10, 40]);
    editing.setCorner(0, 'y', -3);
    expect(track().anchors[7]).toEqual([10, -3, 30, 20, 41.5, 40, 10, 40]);
    expect(track().anchors[0]).toEqual([10, 20, 30, 20, 30, 40, 10, 40]);
  });

  it('held while frames go by, gets an anchor on each, in one edit', async () => {
    const { frame, doc, editing, track } = await bench();
    const edits = doc.unsent;
    editing.grab({ kind: 'region' }, { x: 20, y: 30 });
    for (const f of [0, 1, 2]) {
      frame.value = f;
      await nextTick();
      editing.dragTo({ x: 20 + 4 * f, y: 30 });
    }
    editing.steer(1.5, 0);
    editing.dragTo({ x: 30, y: 30 });
    editing.drop();
    expect(doc.unsent).toBe(edits + 1);
    expect(Object.keys(track().anchors)).toEqual(['0', '1', '2']);
    expect(track().anchors[1].slice(0, 2)).toEqual([14, 20]);
    // Half as large again about its middle, and 10 px along.
    expect(track().anchors[2].slice(0, 2)).toEqual([15, 15]);
  });

  it('turns about its middle with a key', async () => {
    const { editing, track } = await bench();
    editing.steer(1, Math.PI / 2);
    expect(track().anchors[0].map(Math.round)).toEqual([30, 20, 30, 40, 10, 40, 10, 20]);
  });

  it('left off, is as it was', async () => {
    const { editing, track } = await bench();
    editing.grab({ kind: 'region' }, { x: 20, y: 30 });
    editing.dragTo({ x: 90, y: 90 });
    editing.abandon();
    editing.drop();
    expect(track().anchors).toEqual({ 0: [10, 20, 30, 20, 30, 40, 10, 40] });
  });
});
