import type { Lens } from '../../demo/camera.ts';
import type { Shot } from '../../demo/shot.ts';
import { room } from './room.ts';

/** Rows of three px each, from the top. */
const LETTERS: Record<string, string> = {
  '0': '111 101 101 101 111',
  '1': '010 110 010 010 111',
  '2': '111 001 111 100 111',
  '3': '111 001 111 001 111',
  '4': '101 101 111 001 001',
  '5': '111 100 111 001 111',
  '6': '111 100 111 101 111',
  '7': '111 001 010 010 010',
  '8': '111 101 111 101 111',
  '9': '111 101 111 001 111',
  '-': '000 000 111 000 000',
  ':': '000 010 000 010 000',
  ' ': '000 000 000 000 000',
};
/** Side of a letter's px, and the black border around it, px of the film. */
const DOT = 6;
const BORDER = 3;
const [LEFT, TOP] = [380, 596];

/** A living room with the date and a time code laid over it, where whoever goes away puts their feet. */
export const stamped: Shot = {
  ...room,
  name: 'stamped',
  laidOver(rgb, lens, frame) {
    const two = (n: number): string => String(n).padStart(2, '0');
    const text = `2026-07-14 15:32:${two(7 + Math.floor(frame / 25))}:${two(frame % 25)}`;
    for (const [border, value] of [
      [BORDER, 0],
      [0, 255],
    ]) {
      [...text].forEach((letter, k) => drawLetter(rgb, lens, letter, LEFT + k * 4 * DOT, border, value));
    }
  },
};

function drawLetter(
  rgb: Uint8Array,
  { width }: Lens,
  letter: string,
  left: number,
  border: number,
  value: number,
): void {
  LETTERS[letter].split(' ').forEach((row, v) =>
    [...row].forEach((dot, u) => {
      if (dot === '0') return;
      const [x, y] = [left + u * DOT - border, TOP + v * DOT - border];
      const side = DOT + 2 * border;
      for (let j = y; j < y + side; j++) rgb.fill(value, 3 * (j * width + x), 3 * (j * width + x + side));
    }),
  );
}
