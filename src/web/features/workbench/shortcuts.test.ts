import { expect, it } from '@jest/globals';
import { SHORTCUTS, shortcutOf } from './shortcuts.ts';

const press = (key: string, more: object = {}): KeyboardEvent =>
  ({ key, ctrlKey: false, metaKey: false, shiftKey: false, altKey: false, target: null, ...more }) as KeyboardEvent;

it('no key means two things', () => {
  const all = Object.values(SHORTCUTS).flatMap((s) => s.keys as readonly string[]);
  expect(new Set(all).size).toBe(all.length);
});

it('a browser keeps its own keys', () => {
  const taken = [
    'ctrl+t',
    'ctrl+w',
    'ctrl+n',
    'ctrl+r',
    'ctrl+l',
    'ctrl+f',
    'ctrl+p',
    'ctrl+s',
    'f5',
    'f11',
    'f12',
    'tab',
  ];
  const all = Object.values(SHORTCUTS).flatMap((s) => s.keys as readonly string[]);
  expect(all.filter((key) => taken.includes(key) || key.startsWith('alt+'))).toEqual([]);
});

it('is found by key and modifiers, and left alone while a person types or a button has the focus', () => {
  expect(shortcutOf(press('ArrowLeft', { shiftKey: true }))).toBe('back10');
  expect(shortcutOf(press('z', { metaKey: true }))).toBe('undo');
  expect(shortcutOf(press('Z', { ctrlKey: true, shiftKey: true }))).toBe('redo');
  expect(shortcutOf(press('+', { shiftKey: true }))).toBe('nearer');
  expect(shortcutOf(press('r', { ctrlKey: true }))).toBeUndefined();
  const inside = (selector: string): object => ({
    target: { closest: (s: string) => (s.includes(selector) ? {} : null) },
  });
  expect(shortcutOf(press('d', inside('input')))).toBeUndefined();
  expect(shortcutOf(press(' ', inside('button')))).toBeUndefined();
  expect(shortcutOf(press('d', inside('button')))).toBe('path');
});
