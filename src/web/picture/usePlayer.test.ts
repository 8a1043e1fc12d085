import { afterEach, beforeEach, describe, expect, it, jest } from '@jest/globals';
import { ref } from 'vue';
import { usePlayer } from './usePlayer.ts';

/** A clock in the test's hand, and pictures that are drawn when the test says so. */
let now = 0;
let ticks: (() => void)[] = [];

beforeEach(() => {
  now = 0;
  ticks = [];
  jest.spyOn(performance, 'now').mockImplementation(() => now);
  globalThis.requestAnimationFrame = (tick) => ticks.push(() => tick(now));
});
afterEach(() => {
  jest.restoreAllMocks();
});

const settle = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));

async function advance(ms: number): Promise<void> {
  now += ms;
  const due = ticks;
  ticks = [];
  due.forEach((tick) => tick());
  await settle();
}

function player(draw: (frame: number) => Promise<number> = (f) => Promise.resolve(f)) {
  return usePlayer({
    range: ref({ first: 0, last: 99 }),
    played: ref({ first: 10, last: 19 }),
    rate: ref(25),
    draw,
  });
}

describe('stepping', () => {
  it('stays within the clip and shows what was drawn', async () => {
    const p = player();
    p.step(-50);
    await settle();
    expect(p.shown.value).toBe(0);
    p.go(500);
    await settle();
    expect(p.shown.value).toBe(99);
  });

  it('shows the old number until the new frame is drawn, and of many wishes only the last is drawn', async () => {
    const asked: { frame: number; done: (frame: number) => void }[] = [];
    const p = player((frame) => new Promise((done) => asked.push({ frame, done })));
    for (const f of [11, 12, 13, 14]) p.go(f);
    expect([p.wanted.value, p.shown.value]).toEqual([14, 10]);
    asked[0].done(11);
    await settle();
    expect([p.shown.value, asked.map((a) => a.frame)]).toEqual([11, [11, 14]]);
    asked[1].done(14);
    await settle();
    expect(p.shown.value).toBe(14);
  });
});

describe('playing', () => {
  it('keeps real time, leaving out what comes too late, and begins again at out', async () => {
    const p = player();
    p.go(10);
    p.toggle();
    await advance(41);
    expect(p.shown.value).toBe(11);
    await advance(200);
    expect(p.shown.value).toBe(16);
    await advance(200);
    expect(p.shown.value).toBe(10);
    expect(p.playing.value).toBe(true);
  });

  it('goes slower when asked, from where it is, and at full speed again', async () => {
    const p = player();
    p.toggle();
    p.changeSpeed();
    expect(p.speed.value).toBe(0.5);
    await advance(201);
    expect(p.shown.value).toBe(12);
    for (let i = 0; i < 3; i++) p.changeSpeed();
    expect(p.speed.value).toBe(1);
    await advance(121);
    expect(p.shown.value).toBe(15);
  });

  it('without a loop stops at out', async () => {
    const p = player();
    p.toggleLoop();
    p.toggle();
    await advance(5000);
    expect([p.shown.value, p.playing.value]).toEqual([19, false]);
  });

  it('from a handle begins at in', async () => {
    const p = player();
    p.go(50);
    p.toggle();
    await settle();
    expect(p.shown.value).toBe(10);
  });
});
