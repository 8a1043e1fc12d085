import { describe, expect, it } from '@jest/globals';
import { newRemoval } from '../../contract/document.ts';
import { NO_TRIM } from '../../core/fill/trim.ts';
import { makeTrimConstant, removeTrimKey, setTrim, trimOf } from './trimEdits.ts';

const removal = () => newRemoval({}, 'Thing');

describe('trimming by hand', () => {
  it('sets a key with the first number and none that does nothing', () => {
    const r = removal();
    setTrim(r, 12, 'exposure', 0.5);
    expect(r.trim).toEqual({ 12: { ...NO_TRIM, exposure: 0.5, ease: 'linear' } });
    setTrim(r, 12, 'exposure', 0);
    expect(r.trim).toBeUndefined();
  });

  it('sets a key at another frame that keeps the other numbers, and goes on as the key before it does', () => {
    const r = removal();
    setTrim(r, 10, 'warmth', 20);
    r.trim![10].ease = 'hold';
    setTrim(r, 20, 'opacity', 140);
    expect(r.trim![20]).toEqual({ ...NO_TRIM, warmth: 20, opacity: 100, ease: 'hold' });
    expect(trimOf(r, 19).opacity).toBe(100);
  });

  it('becomes the same everywhere, and is gone with its last key', () => {
    const r = removal();
    setTrim(r, 0, 'dx', 4);
    setTrim(r, 10, 'dx', 8);
    makeTrimConstant(r, 5);
    expect(Object.keys(r.trim!)).toEqual(['5']);
    expect(trimOf(r, 100).dx).toBe(6);
    removeTrimKey(r, 5);
    expect(r.trim).toBeUndefined();
  });
});
