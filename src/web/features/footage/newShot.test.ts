import { describe, expect, it } from '@jest/globals';
import { newShotOf } from './newShot.ts';

const clip = { name: 'Harbour walk.v2.mp4' };

describe('what is offered for a new shot', () => {
  it('is named after the clip, and takes all of a short one', () => {
    expect(newShotOf(clip, 240, [])).toEqual({ name: 'Harbour walk.v2', first: 0, last: 239 });
    expect(newShotOf(clip, 9000, [])).toEqual({ name: 'Harbour walk.v2', first: 0, last: 599 });
  });

  it('has a name that no other shot of the clip has, and goes on where the last one ends', () => {
    const first = { name: 'Harbour walk.v2', first: 0, last: 99 };
    const second = newShotOf(clip, 240, [first]);
    expect(second).toEqual({ name: 'Harbour walk.v2 2', first: 100, last: 239 });
    expect(newShotOf(clip, 1000, [second, first])).toEqual({ name: 'Harbour walk.v2 3', first: 240, last: 839 });
    expect(newShotOf(clip, 240, [{ ...first, name: 'Gulls' }]).name).toBe('Harbour walk.v2');
  });

  it('begins at the start where nothing is left', () => {
    expect(newShotOf(clip, 240, [{ name: 'all', first: 0, last: 239 }])).toMatchObject({ first: 0, last: 239 });
  });
});
