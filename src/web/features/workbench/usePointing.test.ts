import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import type { PointBody } from '../../../contract/outlines.ts';
import { openQuietly, startQuietly } from '../../testing/quietServer.ts';
import { useOutlines } from './outlinesStore.ts';
import { useStage } from './stageStore.ts';
import { usePointing } from './usePointing.ts';
import { useWork } from './workStore.ts';

const SQUARE = [10, 10, 50, 10, 50, 50, 10, 50];
let outline: number[];
let bodies: PointBody[];
let searches: number;
let frame: number;

/** Pointing at a screen scale of 2, with a server that finds `outline` wherever it is asked. */
async function bench() {
  const doc = await openQuietly();
  globalThis.fetch = jest.fn((input: unknown, init?: RequestInit) => {
    const [path, posted] = [String(input), init?.method === 'POST'];
    if (path === '/api/shots/s/movers' && posted) searches++;
    if (path !== '/api/shots/s/outlines' || !posted) return new Promise(() => undefined);
    bodies.push(JSON.parse(init!.body as string) as PointBody);
    return Promise.resolve(new Response(JSON.stringify({ frame, outline })));
  }) as unknown as typeof fetch;
  const stage = useStage();
  const pointing = usePointing(
    () => frame,
    () => 2,
  );
  const stroke = async (away: boolean, ...places: [number, number][]): Promise<void> => {
    const [first, ...rest] = places.map(([x, y]) => ({ x, y }));
    pointing.press(first, away);
    rest.forEach(pointing.dragTo);
    pointing.drop();
    await new Promise((resolve) => setTimeout(resolve, 10));
  };
  stage.tool = 'point';
  return { doc, stage, pointing, stroke };
}

beforeEach(() => {
  [outline, bodies, searches, frame] = [SQUARE, [], 0, 4];
  startQuietly(9);
});

describe('pointing at a thing', () => {
  it('makes the thing by itself from a click, which the hand may shake', async () => {
    const { doc, stage, stroke } = await bench();
    await stroke(false, [20.04, 30], [20.9, 30.6]);
    expect(bodies).toEqual([{ frame: 4, add: [[20, 30]], remove: [] }]);
    const [[id, removal]] = Object.entries(doc.document.removals);
    expect([stage.removalId, Object.keys(removal.shapes)]).toEqual([id, [stage.shapeId]]);
    expect(removal.shapes[stage.shapeId].keys[4].points).toHaveLength(4);
    expect(doc.undoLabel).toBe('Point at a thing');
  });

  it('has the shot searched for what moves, which tells things apart', async () => {
    const { stroke } = await bench();
    await stroke(false, [20, 30]);
    expect(searches).toBe(1);
  });

  it('takes a drag for a box where nothing is yet, whichever corner it begins at, and for a scribble after that', async () => {
    const { pointing, stroke } = await bench();
    pointing.press({ x: 60, y: 50 }, false);
    pointing.dragTo({ x: 8, y: 9 });
    expect(pointing.box.value).toEqual({ x: 8, y: 9, width: 52, height: 41 });
    pointing.abandon();
    await stroke(false, [60, 50], [8, 9]);
    await stroke(false, [20, 20], [30, 30], [40, 25]);
    expect(bodies.map((b) => b.box)).toEqual([
      [8, 9, 52, 41],
      [8, 9, 52, 41],
    ]);
    expect(bodies[1].add).toEqual([[20, 20, 30, 30, 40, 25]]);
  });

  it('asks with everything pointed at in the frame, also what is not of it', async () => {
    const { stroke } = await bench();
    await stroke(false, [20, 30]);
    await stroke(false, [25, 35]);
    await stroke(true, [48, 48]);
    expect(bodies[2]).toEqual({
      frame: 4,
      add: [
        [20, 30],
        [25, 35],
      ],
      remove: [[48, 48]],
    });
  });

  it('does not take a box of no size', async () => {
    const { stroke } = await bench();
    await stroke(false, [20, 30], [29, 30.5]);
    expect(bodies).toEqual([]);
  });

  it('says what to do where nothing was told apart, and leaves the marks alone', async () => {
    const { doc, stroke } = await bench();
    outline = [];
    await stroke(false, [20, 30]);
    expect(useWork().failure).toContain('Point at more of it');
    expect([doc.document.removals, doc.unsent]).toEqual([{}, 0]);
  });
});

describe('painting', () => {
  it('sends the stroke with the brush and the outline that is there', async () => {
    const { stage, stroke } = await bench();
    await stroke(false, [20, 30]);
    [stage.tool, useOutlines().brush] = ['paint', 12];
    await stroke(false, [40, 40], [60, 40]);
    await stroke(true, [12, 12]);
    expect(bodies[1]).toMatchObject({ add: [[40, 40, 60, 40]], remove: [], brush: 12, prior: SQUARE });
    expect(bodies[2]).toMatchObject({ add: [], remove: [[12, 12]], brush: 12 });
  });

  it('mends from then on: a click is asked on top of what was painted', async () => {
    const { stage, stroke } = await bench();
    stage.tool = 'paint';
    await stroke(false, [40, 40], [60, 40]);
    expect(bodies[0].prior).toBeUndefined();
    await stroke(false, [45, 45]);
    stage.tool = 'point';
    await stroke(false, [20, 30]);
    expect(bodies[2]).toEqual({ frame: 4, add: [[20, 30]], remove: [], prior: SQUARE });
  });
});
