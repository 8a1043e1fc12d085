import { describe, expect, it } from '@jest/globals';
import { memoryCeiling, memoryPlan } from './memoryPlan.ts';
import { storedFormat } from './pixelFormat.ts';

const MIB = 2 ** 20;
const hd = storedFormat('yuv420p', 1920, 1080).format;
const uhd = storedFormat('yuv420p10le', 3840, 2160).format;

describe('memoryPlan', () => {
  it('leaves all threads and as much room as serves, where there is enough', () => {
    expect(memoryPlan(hd, 2, 1536 * MIB)).toEqual({ threads: 2, sources: 200 * MIB });
  });

  it('gives up room for source frames first, then threads', () => {
    const less = memoryPlan(hd, 2, 760 * MIB);
    expect(less.threads).toBe(2);
    expect(less.sources).toBeLessThan(200 * MIB);
    expect(less.sources).toBeGreaterThan(0);
    expect(memoryPlan(hd, 2, 560 * MIB).threads).toBe(1);
    expect(memoryPlan(hd, 16, 1536 * MIB).threads).toBeLessThan(8);
  });

  it('never plans for more than the ceiling leaves, and holds at least three source frames a thread', () => {
    for (const format of [hd, uhd]) {
      const frame = format.planes.reduce((n, p) => n + 2 * p.width * p.height, format.width * format.height);
      for (let mib = 800; mib <= 6000; mib += 100) {
        const { threads, sources } = memoryPlan(format, 64, mib * MIB);
        expect(sources).toBeGreaterThanOrEqual(Math.min(3 * frame, 200 * MIB));
        expect(threads * sources).toBeLessThan(mib * MIB);
      }
    }
  });

  it('says what is needed where not even one thread fits', () => {
    expect(() => memoryPlan(uhd, 2, 300 * MIB)).toThrow(
      /3840 x 2160 with 16 bits need \d+ MiB at least.*MNESTRA_MEMORY_MIB/,
    );
    expect(() => memoryPlan(uhd, 2, 300 * MIB)).toThrow(expect.objectContaining({ code: 'out_of_memory' }));
  });
});

describe('memoryCeiling', () => {
  it('is 1.5 GiB, or what the environment says', () => {
    expect(memoryCeiling({})).toBe(1536 * MIB);
    expect(memoryCeiling({ MNESTRA_MEMORY_MIB: '900' })).toBe(900 * MIB);
  });

  it.each(['lots', '0', '-3'])('does not take %s', (text) => {
    expect(() => memoryCeiling({ MNESTRA_MEMORY_MIB: text })).toThrow(
      expect.objectContaining({ code: 'bad_settings' }),
    );
  });
});
