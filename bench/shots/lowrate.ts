import type { Shot } from '../../demo/shot.ts';
import { room } from './room.ts';

/** The living room as a messenger sends it on: a twentieth of the data, thin things and fine detail smeared. */
export const lowrate: Shot = {
  ...room,
  name: 'lowrate',
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '36', '-pix_fmt', 'yuv420p'],
};
