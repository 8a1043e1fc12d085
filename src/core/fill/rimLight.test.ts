import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { smallFormat } from '../testing/frames.ts';
import { gaussFrom, randomFrom } from '../testing/random.ts';
import { RIM_TILE, TILE, type Region } from './region.ts';
import { fitLight } from './light.ts';
import { measureLights, type RimView } from './rimLight.ts';
import { rimWindows } from './rimWindows.ts';

const SIDE = 4 * TILE;
const N = SIDE * SIDE;
const format = smallFormat(SIDE, SIDE);
const region: Region = {
  frame: 0,
  rect: { x: 0, y: 0, width: SIDE, height: SIDE },
  cols: 4,
  rows: 4,
  active: new Uint8Array(16).fill(RIM_TILE),
  alpha: new Uint8Array(N),
  known: new Uint8Array(N).fill(1),
};
const random = randomFrom(3);
/** Bright and dark parts, and specks on them. */
const scene = Float32Array.from({ length: N }, (_, i) => {
  const [x, y] = [i % SIDE, Math.floor(i / SIDE)];
  return 120 + 20 * Math.sin(x / 7) + 20 * Math.cos(y / 5) + 80 * (random() - 0.5);
});
const rim = rimWindows(region, 90);

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(16 << 20);
});

/** A source that lies as the frame does. */
function viewOf(samples: ArrayLike<number>, blocked = new Uint8Array(N)): RimView {
  const [at, mask] = [kernels.alloc(N * 2), kernels.alloc(N)];
  kernels.u16(at, N).set(Uint16Array.from(samples));
  kernels.u8(mask, N).set(blocked);
  return {
    frame: () => ({ rect: region.rect, planes: [at], blocked: mask }),
    points: Float32Array.from([...rim].flatMap((i) => [i % SIDE, Math.floor(i / SIDE)])),
  };
}

const lightsOf = (own: Float32Array, views: RimView[]) =>
  measureLights(kernels, format, region, [own], rim, views, 1).map(([fit]) => fit);
const grainy = (seed: number, of: (v: number) => number = (v) => v): number[] => {
  const grain = gaussFrom(seed);
  return [...scene].map((v) => Math.round(of(v) + grain()));
};

describe('the light of each source', () => {
  it('is its gain and offset against the frame', () => {
    const own = Float32Array.from(grainy(1));
    const [same, darker] = lightsOf(own, [viewOf(grainy(2)), viewOf(grainy(3, (v) => 0.8 * v + 6))]);
    expect(same.gain * 120 + same.offset).toBeCloseTo(120, 0);
    expect(darker.gain).toBeCloseTo(1.25, 1);
    expect(darker.gain * 102 + darker.offset).toBeCloseTo(120, 0);
    expect(same.sigma).toBeLessThan(2.5);
  });

  it('is not taken for another because one of the two is blurred, and it is said how much detail that one lacks', () => {
    const [left, right] = [1, 2].map((d) => (i: number) => scene[i - d] + scene[i + d]);
    const blur = scene.map((v, i) =>
      i % SIDE > 1 && i % SIDE < SIDE - 2 ? (2 * v + 1.5 * left(i) + right(i)) / 7 : v,
    );
    const own = Float32Array.from(grainy(1));
    const soft = blur.map((v) => Math.round(v));
    const [same, softer] = lightsOf(own, [viewOf(grainy(2)), viewOf(soft)]);
    const [sharper] = lightsOf(blur, [viewOf(grainy(2))]);
    // Px by px the sharp one would have to lose much of its contrast.
    expect(fitLight(scene, blur, 1)!.gain).toBeLessThan(0.75);
    expect(softer.gain).toBeCloseTo(1, 0);
    expect(sharper.gain).toBeGreaterThan(0.8);
    expect(same.lost).toBeLessThan(0);
    expect(softer.lost).toBeGreaterThan(250);
    expect(sharper.lost).toBeLessThan(-250);
  });

  it('is not told by what stands before the rim in the frame alone', () => {
    const [clean, hidden] = [1, 1].map(() => Float32Array.from(grainy(1)));
    // Someone in the light of the lower third of the frame, who is in none of the sources.
    for (let i = Math.floor((2 * N) / 3); i < N; i++) hidden[i] = 0.5 * hidden[i] + 90;
    const views = [2, 3, 4, 5].map((seed) => viewOf(grainy(seed)));
    const [a, b] = [lightsOf(clean, views), lightsOf(hidden, views)];
    b.forEach((fit, k) => expect(fit.gain * 120 + fit.offset).toBeCloseTo(a[k].gain * 120 + a[k].offset, 0));
  });

  it('is told by all points where too few sources say that they are strange', () => {
    const own = Float32Array.from(grainy(1));
    const [only] = lightsOf(own, [viewOf(grainy(2, (v) => v + 20))]);
    expect(only.gain * 140 + only.offset).toBeCloseTo(120, 0);
  });

  it('does not look at what a source must not show', () => {
    const own = Float32Array.from(grainy(1));
    const samples = grainy(2);
    const blocked = new Uint8Array(N);
    for (let i = 0; i < N; i += 2) {
      blocked[i] = 1;
      samples[i] = 255;
    }
    const [fit] = lightsOf(own, [viewOf(samples, blocked)]);
    expect(fit.gain).toBeCloseTo(1, 1);
    const [none] = lightsOf(own, [viewOf(samples, new Uint8Array(N).fill(1))]);
    expect(none.sigma).toBeNaN();
  });
});
