import { median } from '../geometry/linear.ts';
import type { Mover } from './movers.ts';
import type { Explained } from './rigidWorld.ts';

/** Looks at something, at most. */
const LOOKS = 3;
/** They are at frames that are multiples of this; and of the frames in which something is, this share at least apart, and off both ends. */
const EVERY = 6;
const APART = 0.2;
const OFF_ENDS = 0.1;
/** What moves by itself is nearly as unlike the others at any depth; what stands, about half as unlike or less. */
const MOST_UNLIKENESS = 0.6;
/** If it has so many corners, this share of them must go as a rigid world does; where nearly all do, it may be more unlike. */
const LEAST_CORNERS = 8;
const DEEP_SHARE = 0.65;
const ALL_DEEP = 0.9;
const MOST_IF_DEEP = 0.7;
/** Share of the looks that must tell something. */
const LEAST_TOLD = 0.5;

type Seen = Pick<Mover, 'first' | 'last'>;

/**
 * Frames on which movers are looked at: few, since one costs hardly more for many than for one. Next comes what is of use for most (greedy
 * cover: Chvátal 1979).
 * @returns Per frame the numbers of movers.
 */
export function looksAt(movers: readonly Seen[]): Map<number, number[]> {
  const looks = movers.map((): number[] => []);
  const out = new Map<number, number[]>();
  const frames = [...new Set(movers.flatMap(multiples))].sort((a, b) => a - b);
  for (;;) {
    let [next, most]: [number, number[]] = [0, []];
    for (const frame of frames) {
      const served = [...movers.keys()].filter((i) => isOfUse(frame, movers[i], looks[i]));
      if (served.length > most.length) [next, most] = [frame, served];
    }
    if (most.length === 0) return out;
    out.set(next, most);
    for (const i of most) looks[i].push(next);
  }
}

function multiples({ first, last }: Seen): number[] {
  const out: number[] = [];
  for (let t = Math.ceil(first / EVERY) * EVERY; t <= last; t += EVERY) out.push(t);
  return out;
}

function isOfUse(frame: number, { first, last }: Seen, looks: readonly number[]): boolean {
  const length = last + 1 - first;
  const off = looks.length === 0 && length < 2 * EVERY ? 0 : OFF_ENDS * length;
  if (looks.length >= LOOKS || frame < first + off || frame > last - off) return false;
  return looks.every((look) => Math.abs(look - frame) >= APART * length);
}

/**
 * Whether something stands, and only seems to move because the camera travels.
 * @param looks - What each of its looks told.
 */
export function stands(looks: readonly (Explained | undefined)[]): boolean {
  const told = looks.flatMap((look) => look ?? []);
  if (told.length === 0 || told.length < LEAST_TOLD * looks.length) return false;
  const corners = told.reduce((sum, look) => sum + look.corners, 0);
  const deep = told.reduce((sum, look) => sum + look.deep, 0);
  const unlikeness = median(told.map((look) => look.unlikeness));
  if (corners < LEAST_CORNERS) return unlikeness <= MOST_UNLIKENESS;
  return deep >= DEEP_SHARE * corners && unlikeness <= (deep >= ALL_DEEP * corners ? MOST_IF_DEEP : MOST_UNLIKENESS);
}
