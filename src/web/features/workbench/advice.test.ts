import { describe, expect, it } from '@jest/globals';
import { SETTINGS_DEFAULTS, type RemovalNode } from '../../../contract/document.ts';
import type { MoverView, SearchView } from '../../../contract/movers.ts';
import type { RevealData, RevealView, TakeView } from '../../../contract/takes.ts';
import { rectanglePoints } from '../../../core/shapes/shape.ts';
import { adviceFor, standing } from './advice.ts';
import { percent, type AdviceInput } from './advicePieces.ts';
import { exportNotes, othersOf } from './otherThings.ts';

const removal = (keys: number[], reach = 100): RemovalNode => ({
  name: 'Walker',
  rank: 1,
  hidden: false,
  grow: 0,
  featherIn: 0,
  featherOut: 2,
  settings: { ...SETTINGS_DEFAULTS, reach },
  shapes: {
    a: {
      name: 'Box',
      rank: 1,
      kind: 'rectangle',
      operation: 'add',
      keys: Object.fromEntries(keys.map((f) => [f, { ease: 'linear' as const, points: rectanglePoints(0, 0, 9, 9) }])),
    },
  },
});

/** A reveal of 50 frames with the given share never seen, most of it in frame 30. */
const reveal = (unseen: number, more: Partial<RevealData> = {}): RevealView => {
  const frames = Array.from({ length: 50 }, (_, t) => {
    const never = t === 30 ? unseen * 4000 : (unseen * 96_000) / 49;
    return { hole: 2000, seen: 2000 - never, thin: 0, unseen: never, x: 0, y: 0, width: 0, height: 0, offset: 0 };
  });
  const total = { hole: 100_000, seen: 100_000 * (1 - unseen), thin: 0, unseen: 100_000 * unseen };
  const best = unseen > 0 ? { frame: 30, share: 0.8 } : null;
  const data = {
    key: 'k',
    first: 0,
    tripod: false,
    bars: false,
    fixed: false,
    carried: false,
    cuts: [],
    total,
    best,
    coverage: null,
    cell: 4,
    originX: 0,
    originY: 0,
    frames,
    ...more,
  };
  return { state: 'ready', progress: 1, error: null, data };
};

const take = (more: Partial<TakeView>): TakeView => ({
  id: 't',
  shotId: 's',
  removalId: 'r',
  name: 'Draft 1',
  draft: true,
  settings: SETTINGS_DEFAULTS,
  first: 0,
  count: 50,
  stale: false,
  trims: '',
  playable: true,
  picked: true,
  only: null,
  beneath: [],
  finished: [],
  outcome: null,
  createdAt: '',
  state: 'done',
  stage: '',
  progress: 1,
  secondsLeft: null,
  error: null,
  ...more,
});

const input = (more: Partial<AdviceInput>): AdviceInput => ({
  shot: { id: 's', clipId: 'c', name: 'Walk', first: 0, last: 49, handleBefore: 0, handleAfter: 0, createdAt: '' },
  clipFrames: 50,
  removalId: 'r',
  removal: removal([0, 20, 40, 49]),
  reveal: reveal(0),
  tracks: {},
  takes: [],
  search: null,
  uses: [],
  others: [],
  lookedAt: new Set([49]),
  lookedSince: new Set(),
  ...more,
});

describe('the next thing to do', () => {
  it('follows the marks', () => {
    expect(adviceFor(input({ removal: undefined })).actions.at(-1)!.action.kind).toBe('add-removal');
    expect(adviceFor(input({ removal: { ...removal([]), shapes: {} } })).actions[0].action.kind).toBe('draw');
  });

  it('sends to where the film is cut, until somebody has looked', () => {
    const cut = reveal(0, { cuts: [20] });
    expect(adviceFor(input({ reveal: cut })).text).toContain('at once at frame 20');
    expect(adviceFor(input({ reveal: cut, lookedAt: new Set([20, 49]) })).actions[0].action.kind).toBe('take');
  });

  it('says what stays before anything is run', () => {
    const [plain, barred, stamped] = [reveal(0), reveal(0, { bars: true }), reveal(0, { fixed: true })];
    const [without, bars, fixed] = [plain, barred, stamped].map((one) => adviceFor(input({ reveal: one })).text);
    expect(bars).toContain('black bars stay');
    expect(fixed).toContain('a time code) stays as it is');
    expect(without).not.toContain('stay');
  });

  it('has an outline that was pointed at followed, unless it holds everywhere', () => {
    const pointed = (
      keys: number[],
      visible?: { from: number; to: number },
      lost: { from: number; to: number }[] = [],
    ) => {
      const node = removal(keys);
      node.shapes.a.outline = { anchors: { 30: { add: [[4, 4]], remove: [] } }, lost };
      node.shapes.a.visible = visible;
      return adviceFor(input({ removal: node }));
    };
    const alone = pointed([30], { from: 30, to: 30 });
    expect(alone.text).toContain('outlined on frame 30 only');
    expect(alone.actions[0].action).toEqual({ kind: 'follow', shapeId: 'a' });
    expect(pointed([30], { from: 30, to: 30 }, [{ from: 48, to: 49 }]).text).not.toContain('only');
    expect(pointed([29, 30], { from: 29, to: 30 }).text).not.toContain('only');
    expect(pointed([30]).text).not.toContain('only');
  });

  it('sends to where an outline could not be followed, until somebody has looked', () => {
    const node = removal([10, 11]);
    node.shapes.a.visible = { from: 10, to: 11 };
    node.shapes.a.outline = { anchors: { 10: { add: [], remove: [] } }, lost: [{ from: 12, to: 30 }] };
    const advice = adviceFor(input({ removal: node }));
    expect(advice.text).toContain('could not be followed from 12 to 30');
    expect(advice.actions[0].action).toEqual({ kind: 'go', frame: 21 });
    expect(adviceFor(input({ removal: node, lookedAt: new Set([20]) })).text).not.toContain('could not');
  });

  it('asks what becomes of somebody who passes in front of a thing that rests', () => {
    const node = removal([10, 20]);
    node.shapes.a.outline = { anchors: { 10: { add: [], remove: [] } }, lost: [], held: [{ from: 18, to: 22 }] };
    const mover = (x: number): MoverView => ({
      first: 15,
      last: 25,
      best: 20,
      box: [x, 0, 6, 6],
      path: Array(22).fill(x),
    });
    const search = { movers: [mover(200), mover(8)] } as SearchView;
    const asked = adviceFor(input({ removal: node, search, uses: [undefined, undefined] }));
    expect(asked.text).toContain('“Mover 2” passes in front of “Box” from 18 to 22');
    expect(asked.actions[0].action).toEqual({ kind: 'stays-in-front', mover: 1 });
    expect(adviceFor(input({ removal: node, search, uses: [undefined, 'stays'] })).text).not.toContain('in front');
    // The same of what was drawn once before a camera that rests, unless it was drawn around who passes.
    const box = removal([0]);
    const still = reveal(0);
    still.data!.tripod = true;
    const drawn = input({ removal: box, search, uses: [], reveal: still });
    expect(adviceFor(drawn).text).toContain('“Mover 2” passes in front of “Box” from 15 to 25');
    expect(adviceFor({ ...drawn, lookedSince: new Set([21]) }).text).not.toContain('in front');
    expect(adviceFor({ ...drawn, reveal: reveal(0) }).text).not.toContain('in front');
    // Once it stays, the box is left where it was drawn, as before.
    box.shapes.b = { ...removal([15, 20, 25]).shapes.a, operation: 'hold', visible: { from: 15, to: 25 } };
    expect(adviceFor({ ...drawn, uses: [undefined, 'stays'], lookedAt: new Set() }).text).toContain('Run a draft');
    delete box.shapes.b;
    const itself = { ...mover(8), first: 0, path: Array<number>(52).fill(5), box: [0, 0, 9, 9] };
    expect(adviceFor({ ...drawn, search: { movers: [itself] } as unknown as SearchView }).text).not.toContain(
      'in front',
    );
    const unknown = input({ removal: node, search: null });
    expect(adviceFor(unknown).text).toContain('wants an outline of its own');
    expect(adviceFor({ ...unknown, lookedAt: new Set([20, 49]) }).text).not.toContain('of its own');
  });

  it('sends to frames without a key that nobody has looked at', () => {
    const gap = adviceFor(input({ removal: removal([0, 49]) }));
    expect(gap.text).toContain('no key between 0 and 49');
    expect(gap.actions[0].action).toEqual({ kind: 'go', frame: 25 });
    expect(adviceFor(input({ removal: removal([0, 49]), lookedAt: new Set([24]) })).actions[0].action.kind).toBe(
      'take',
    );
    const end = adviceFor(input({ removal: removal([0]), lookedAt: new Set() }));
    expect(end.actions[0].action).toEqual({ kind: 'go', frame: 49 });
  });

  it('says what was never seen and what may show it: reach, then handles, then a draft', () => {
    const near = adviceFor(input({ removal: removal([0, 20, 40, 49], 10), reveal: reveal(0.1) }));
    expect(near.text).toContain('10 % of what is behind it was never seen, most of it at frame 30');
    expect(near.actions[0].action).toEqual({ kind: 'set-reach', reach: 49 });
    const more = adviceFor(input({ reveal: reveal(0.1), clipFrames: 70 }));
    expect(more.actions[0].action).toEqual({ kind: 'set-handles', before: 0, after: 20 });
    const none = adviceFor(input({ reveal: reveal(0.1) }));
    expect(none.text).toContain('Frame 30 would serve 80 % of it');
    expect(none.actions[0].action).toEqual({ kind: 'take', draft: true });
  });

  it('says that a thing is fixed to its background where nothing behind it is ever seen, and offers a donor', () => {
    const fixed = adviceFor(input({ reveal: reveal(0.98), clipFrames: 70 }));
    expect(fixed.text).toContain('fixed to it');
    expect(fixed.actions.map((a) => a.action)).toEqual([{ kind: 'take', draft: true }, { kind: 'donor' }]);
    const onVan = reveal(0.98, { carried: true });
    const carried = adviceFor(input({ removal: removal([0, 20, 40, 49], 10), reveal: onVan }));
    expect([carried.text.includes('on something that moves'), carried.actions]).toEqual([true, fixed.actions]);
    const near = adviceFor(input({ removal: removal([0, 20, 40, 49], 10), reveal: reveal(0.98) }));
    expect(near.actions[0].action).toEqual({ kind: 'set-reach', reach: 49 });
  });

  it('does not mind what was never seen where a donor fills it', () => {
    const filled = removal([0, 20, 40, 49]);
    filled.settings = { ...filled.settings, sources: ['donor', 'texture'], donor: { frame: 0, dx: 40, dy: 0 } };
    expect(adviceFor(input({ removal: filled, reveal: reveal(0.5) })).text).not.toContain('never seen, most');
  });

  it('goes from draft to full take to export, and back when marks change', () => {
    expect(adviceFor(input({})).text).toContain('100 %');
    expect(adviceFor(input({ takes: [take({})] })).actions[0].action).toEqual({ kind: 'take', draft: false });
    const stale = adviceFor(input({ takes: [take({ stale: true })] }));
    expect(stale.text).toContain('before the last changes');
    const full = adviceFor(input({ takes: [take({ draft: false, name: 'Full 1' })] }));
    expect(full.actions.map((a) => a.action.kind)).toEqual(['play', 'export']);
    const outcome = { hole: 1000, unseen: 300, tripod: false, seconds: 1 };
    const madeUp = adviceFor(input({ takes: [take({ draft: false, outcome })] }));
    expect(madeUp.text).toContain('30 % of the fill was never seen');
  });

  it('has what comes first filled first, and calls the shot done when all of its things are', () => {
    const full = take({ draft: false });
    const kinds = (others: AdviceInput['others'], takes: TakeView[]): string[] => {
      const { text, actions } = adviceFor(input({ others, takes }));
      return [text, ...actions.map(({ action }) => (action.kind === 'choose' ? action.removalId : action.kind))];
    };
    const other = (state: AdviceInput['others'][number]['state'], before: boolean): AdviceInput['others'] => [
      { id: 'd', name: 'Done', before: true, state: 'done' },
      { id: 'o', name: 'Other', before, state },
    ];
    for (const takes of [[], [take({})], [take({ draft: false, stale: true })]]) {
      expect(kinds(other('none', true), takes)).toEqual([
        expect.stringContaining('“Other” comes first and has no take yet'),
        'o',
        'take-all',
        'take',
      ]);
      expect(kinds(other('none', false), takes).slice(1)).not.toContain('o');
      expect(kinds(other('done', true), takes).slice(1)).not.toContain('o');
    }
    for (const before of [true, false]) {
      expect(kinds(other('outdated', before), [full])).toEqual([
        expect.stringMatching(/^Clean. “Other” was filled before the last changes/),
        'o',
        'play',
      ]);
      expect(kinds(other('done', before), [full]).slice(1)).toEqual(['play', 'export']);
    }
  });

  it('offers all full takes that are lacking at once, in their order', () => {
    const others: AdviceInput['others'] = [
      { id: 'a', name: 'A', before: true, state: 'outdated' },
      { id: 'b', name: 'B', before: true, state: 'busy' },
      { id: 'c', name: 'C', before: false, state: 'none' },
      { id: 'd', name: 'D', before: false, state: 'done' },
    ];
    const all = (more: Partial<AdviceInput>): unknown =>
      adviceFor(input({ others, ...more })).actions.find(({ action }) => action.kind === 'take-all');
    const button = (all: string, removalIds: string[]): object => ({
      label: `Run ${all} full takes`,
      action: { kind: 'take-all', removalIds },
    });
    expect(all({})).toEqual(button('all 3', ['a', 'r', 'c']));
    expect(all({ takes: [take({ draft: false })] })).toEqual(button('both', ['a', 'c']));
    expect(all({ others: others.slice(2) })).toEqual(button('both', ['r', 'c']));
    expect(all({ others: others.slice(3) })).toBeUndefined();
  });

  it('tells of work and of failures before all else', () => {
    const running = take({ state: 'running', stage: 'gather', secondsLeft: 12.4 });
    expect(adviceFor(input({ takes: [running] })).text).toContain('12 s left');
    const failed = take({ state: 'failed', error: { code: 'disk_full', message: 'The disk is full. Make room.' } });
    const advice = adviceFor(input({ takes: [failed] }));
    expect(advice.text).toContain('Make room');
    expect(advice.actions[0].action).toEqual({ kind: 'resume', takeId: 't' });
    expect(adviceFor(input({ reveal: { ...reveal(0), state: 'working', progress: 0.4 } })).text).toContain('40 %');
  });
});

describe('the other things of a shot', () => {
  it('stand in their order, those that are hidden or not drawn left out', () => {
    const thing = (rank: number, more: Partial<RemovalNode> = {}): RemovalNode => ({
      ...removal([0]),
      rank,
      name: `Thing ${rank}`,
      ...more,
    });
    const removals = {
      a: thing(3),
      b: thing(1),
      c: thing(2),
      d: thing(4, { hidden: true }),
      e: thing(5, { shapes: {} }),
    };
    const takes: Record<string, TakeView[]> = {
      a: [take({ picked: true, draft: false }), take({ state: 'running', picked: false })],
      b: [take({ picked: false }), take({ draft: false })],
    };
    const others = (id: string): unknown[] =>
      othersOf({ removals, tracks: {} }, id, (of) => takes[of] ?? []).map((o) => [o.id, o.before, o.state]);
    expect(others('c')).toEqual([
      ['b', true, 'done'],
      ['a', false, 'busy'],
    ]);
    expect(others('a')).toEqual([
      ['b', true, 'done'],
      ['c', true, 'none'],
    ]);
    const all = othersOf({ removals, tracks: {} }, '', (of) => takes[of] ?? []);
    expect(exportNotes(all)).toBe('Will still be seen: “Thing 2”. Being filled: “Thing 3”.');
    expect(exportNotes(all.filter(({ id }) => id === 'b'))).toBe('');
    takes.b[1].stale = true;
    takes.c = [take({})];
    expect(others('d')).toEqual([
      ['b', true, 'outdated'],
      ['c', true, 'draft'],
      ['a', true, 'busy'],
    ]);
  });
});

describe('one line on a removal', () => {
  it('has keys, memory and take', () => {
    expect(standing(removal([0, 5]), reveal(0.06).data, [take({ stale: true })])).toBe(
      '2 keys · 94 % remembered · draft, outdated',
    );
    expect(standing({ ...removal([]), shapes: {} }, null, [])).toBe('not drawn yet');
    const given = { ...removal([0]), settings: { ...SETTINGS_DEFAULTS, sources: ['donor' as const] } };
    expect(standing(given, reveal(0).data, [])).toBe('1 key · 100 % known');
  });

  it('never rounds a little to nothing, nor nearly all to all', () => {
    expect([percent(0), percent(0.0001), percent(0.5), percent(0.9999), percent(1)]).toEqual([
      '0 %',
      '0.1 %',
      '50 %',
      '99.9 %',
      '100 %',
    ]);
  });

  it('leaves a shape that rides alone, and says where its track is lost', () => {
    const riding = removal([0]);
    for (const shape of Object.values(riding.shapes)) shape.rides = { track: 't', home: 0 };
    const track = {
      name: 'Track 1',
      rank: 1,
      parts: ['shift' as const],
      anchors: { 0: [0, 0, 9, 0, 9, 9, 0, 9] },
      frames: {},
      losses: [{ from: 20, to: 30, reason: 'hidden' as const }],
    };
    const advice = adviceFor(input({ removal: riding, tracks: { t: track } }));
    expect(advice.text).toContain('lost from 20 to 30');
    expect(advice.actions[0].action).toEqual({ kind: 'go', frame: 25 });
    const looked = adviceFor(input({ removal: riding, tracks: { t: track }, lookedAt: new Set([25]) }));
    expect(looked.text).not.toContain('lost');
  });

  it('says what sticks out, and offers growth where a little of it covers all', () => {
    const outlines = [[0, 0, 9, 0, 9, 9]];
    const flagged = [
      { frame: 12, share: 0.02, outlines },
      { frame: 14, share: 0.05, outlines },
    ];
    const little = reveal(0, { coverage: { flagged, mend: { kind: 'grow', px: 4.2, frame: 14 } } });
    const grow = adviceFor(input({ reveal: little }));
    expect(grow.text).toContain('on 2 frames between 12 and 14');
    expect(grow.actions.map((a) => a.action)).toEqual([
      { kind: 'grow', px: 5 },
      { kind: 'go', frame: 14 },
    ]);
    const much = reveal(0, { coverage: { flagged, mend: { kind: 'key', px: 0, frame: 14 } } });
    const several = removal([0, 49]);
    const look = adviceFor(input({ reveal: much, removal: several }));
    expect(look.actions.map((a) => a.action)).toEqual([{ kind: 'go', frame: 14 }]);
    // Marked on one frame alone it is followed first.
    expect(adviceFor(input({ reveal: much, removal: removal([12]) })).actions.map((a) => a.action)).toEqual([
      { kind: 'follow', shapeId: 'a' },
      { kind: 'go', frame: 14 },
    ]);
    // What was on the screen before the marks changed was not looked at with these.
    const before = input({ reveal: much, removal: several, lookedAt: new Set([14, 49]) });
    expect(adviceFor(before).text).toContain('sticks out');
    expect(adviceFor({ ...before, lookedSince: new Set([14]) }).text).not.toContain('sticks out');
    // What sticks out farther on is another thing to look at.
    const twice = [...flagged, { frame: 30, share: 0.02, outlines }];
    const later = reveal(0, { coverage: { flagged: twice, mend: { kind: 'key', px: 0, frame: 14 } } });
    const looked = { ...before, reveal: later, lookedSince: new Set([14]) };
    expect(adviceFor(looked).actions.map((a) => a.action)).toEqual([{ kind: 'go', frame: 30 }]);
    expect(adviceFor({ ...looked, lookedSince: new Set([14, 30]) }).text).not.toContain('sticks out');
    // Handles are not exported: what sticks out there does no harm.
    const outside = reveal(0, {
      coverage: { flagged: [{ frame: 60, share: 0.5, outlines }], mend: { kind: 'key', px: 0, frame: 60 } },
    });
    expect(adviceFor(input({ reveal: outside })).text).not.toContain('sticks out');
  });

  it('does not call a fill clean in which something sticks out, though it was looked at', () => {
    const outlines = [[0, 0, 9, 0, 9, 9]];
    const flagged = [12, 14].map((frame) => ({ frame, share: 0.05, outlines }));
    const out = reveal(0, { coverage: { flagged, mend: { kind: 'key', px: 0, frame: 14 } } });
    const filled = {
      lookedAt: new Set([14, 49]),
      lookedSince: new Set([14]),
      takes: [take({ draft: false, picked: true })],
    };
    expect(adviceFor(input({ ...filled, reveal: out })).text).toMatch(
      /^Filled, but on 2 frames something sticks out\./,
    );
    expect(adviceFor(input({ ...filled, reveal: reveal(0) })).text).toMatch(/^Clean\./);
  });

  it('tells of what moves before anything is marked', () => {
    const work = { state: 'done' as const, stage: '', progress: 1, secondsLeft: null, error: null };
    const mover = { first: 0, last: 9, best: 5, box: [0, 0, 9, 9] as [number, number, number, number], path: [] };
    const search = (n: number) => ({ id: 'q', shotId: 's', from: 0, to: 49, movers: Array(n).fill(mover), ...work });
    const none = { removal: undefined };
    expect(adviceFor(input(none)).actions[0].action).toEqual({ kind: 'search' });
    expect(adviceFor(input({ ...none, search: search(2) })).text).toContain('2 things move by themselves');
    const kinds = (n: number): string[] =>
      adviceFor(input({ ...none, search: search(n) })).actions.map(({ action }) => action.kind);
    expect([kinds(2), kinds(1), kinds(0)]).toEqual([
      ['all-away', 'add-removal'],
      ['all-away', 'add-removal'],
      ['add-removal'],
    ]);
    const first = (n: number): string => adviceFor(input({ ...none, search: search(n) })).actions[0].label;
    expect([1, 2, 3].map(first)).toEqual(['It goes away', 'Both go away', 'All 3 go away']);
    expect(adviceFor(input({ ...none, search: search(1) })).text).toContain('One thing moves by itself');
    expect(adviceFor(input({ ...none, search: search(0) })).text).toContain('Nothing moves by itself');
    const besides = { ...search(1), movers: [mover, { ...mover, stands: true }] };
    expect(adviceFor(input({ ...none, search: besides })).text).toContain('One thing moves by itself');
    const busy = { ...search(0), state: 'running' as const };
    expect(adviceFor(input({ ...none, search: busy })).text).toContain('is being searched');
  });
});
