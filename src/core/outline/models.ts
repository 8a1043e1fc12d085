import { CHANNELS, colourCost, fitColours, type ColourModel } from './colourModel.ts';
import { OPEN, OTHER, THING } from './cutOut.ts';
import type { PictureCut } from './pictureCut.ts';

/** Colours of a thing and of what is around it. */
export interface Models {
  thing: ColourModel;
  around: ColourModel;
}

/** What colours are learnt from, per px. */
export interface Lesson {
  /** 1 in the thing, 0 around it. */
  mask: Uint8Array;
  /** What a person has settled counts more. */
  settled?: Uint8Array;
  /** 1 where neither is known: nothing is learnt there. */
  unsure?: Uint8Array;
}

/** Px that a model is learnt from, at most; and the share of them that a person's hints make up, if there are any. */
const SAMPLES = 2500;
const HINTED_SHARE = 0.15;
/** Px from which colours are told of something that is marked. */
const LEAST_SAMPLES = 40;
/** Most that colours may say about one px. */
const MOST_LEAN = 4;

export function learn(cut: PictureCut, lesson: Lesson): Models {
  return {
    thing: fitColours(samples(cut.colours, lesson, 1, THING)),
    around: fitColours(samples(cut.colours, lesson, 0, OTHER)),
  };
}

/** Colours of the px that are marked by 1; undefined if there are too few to tell. */
export function coloursOf({ colours }: PictureCut, marked: Uint8Array): ColourModel | undefined {
  const own = spacedOut(marked.length, (i) => marked[i] === 1);
  return own.length < LEAST_SAMPLES ? undefined : fitColours(at(colours, own));
}

/** Cost of belonging to the thing less that of not belonging to it, by colours alone; 0 for px that are settled anyway. */
export function leanOf({ colours }: PictureCut, { thing, around }: Models, settled: Uint8Array): Float32Array {
  const out = new Float32Array(settled.length);
  for (let i = 0; i < out.length; i++) {
    if (settled[i] !== OPEN) continue;
    const d = colourCost(thing, colours, i * CHANNELS) - colourCost(around, colours, i * CHANNELS);
    out[i] = Math.max(-MOST_LEAN, Math.min(MOST_LEAN, d));
  }
  return out;
}

function samples(colours: Float32Array, { mask, settled, unsure }: Lesson, side: 0 | 1, hint: number): Float32Array {
  const own = spacedOut(mask.length, (i) => mask[i] === side && !unsure?.[i]);
  // A picture that is all thing, or has none: nothing is known of the other, all colours are as likely.
  const few = own.length > 0 ? own : spacedOut(mask.length, () => true);
  const hinted = settled ? spacedOut(mask.length, (i) => settled[i] === hint) : [];
  const times = hinted.length > 0 ? Math.floor((HINTED_SHARE * few.length) / hinted.length) : 0;
  for (let k = 0; k < times; k++) few.push(...hinted);
  return at(colours, few);
}

function at(colours: Float32Array, places: readonly number[]): Float32Array {
  const out = new Float32Array(places.length * CHANNELS);
  places.forEach((i, k) => out.set(colours.subarray(i * CHANNELS, (i + 1) * CHANNELS), k * CHANNELS));
  return out;
}

/** Indices for which a test holds; about SAMPLES of them, evenly, if they are more. */
function spacedOut(n: number, test: (i: number) => boolean): number[] {
  const all = new Int32Array(n);
  let count = 0;
  for (let i = 0; i < n; i++) if (test(i)) all[count++] = i;
  const every = Math.max(1, Math.ceil(count / SAMPLES));
  const out: number[] = [];
  for (let k = 0; k < count; k += every) out.push(all[k]);
  return out;
}
