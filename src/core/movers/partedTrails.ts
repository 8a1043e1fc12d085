import { components } from '../image/components.ts';
import { linkRegions, type ArePartsOfOne, type Step, type Trail } from './linkRegions.ts';
import { areaOf, moved, patchOf, type MaskPatch } from './maskPatch.ts';
import { areNear } from './mergeTrails.ts';

/** Frames in which two parts of one trail must lie apart. */
const LEAST_FRAMES = 6;
/** What is smaller than this share of a mask is a scrap of it. */
const SCRAP = 0.2;

/**
 * Trails in which two that were one region when they were first seen, since the shot begins while they cross, have come apart: what was
 * one from the start is followed as one for good, and its middle hardly moves. They are linked once more, from the last frame to the first: so two go
 * into their crossing, each as it went.
 */
export function parted(
  trails: readonly Trail[],
  step: Step,
  size: { width: number; height: number },
  arePartsOfOne: ArePartsOfOne,
): Trail[] {
  return trails.flatMap((trail) => (comesApart(trail, size) ? linkedBack(trail, step, size, arePartsOfOne) : [trail]));
}

function comesApart({ masks }: Trail, size: { width: number; height: number }): boolean {
  let apart = 0;
  for (const mask of masks.values()) {
    const [one, other] = partsOf(mask).sort((a, b) => areaOf(b) - areaOf(a));
    if (other && areaOf(other) > SCRAP * areaOf(mask) && !areNear(one, other, size) && ++apart >= LEAST_FRAMES)
      return true;
  }
  return false;
}

function linkedBack(
  { masks }: Trail,
  step: Step,
  size: { width: number; height: number },
  arePartsOfOne: ArePartsOfOne,
): Trail[] {
  const last = Math.max(...masks.keys());
  const back = (t: number): number => last - t;
  const regions = Array.from({ length: last - Math.min(...masks.keys()) + 1 }, (_, t) => {
    const mask = masks.get(back(t));
    return mask ? partsOf(mask) : [];
  });
  const found = linkRegions(
    regions,
    (from, to) => step(back(from), back(to)),
    size,
    (together) => arePartsOfOne(together.map((two) => ({ ...two, frame: back(two.frame) })).reverse()),
  );
  const turned = <T>(byFrame: Map<number, T>): Map<number, T> =>
    new Map([...byFrame].map(([t, value]): [number, T] => [back(t), value]).reverse());
  return found.map((trail) => ({ masks: turned(trail.masks), centres: turned(trail.centres) }));
}

/** The parts of a mask that hang together. */
const partsOf = (mask: MaskPatch): MaskPatch[] =>
  components(mask.data, mask.width, mask.height).map((px) => moved(patchOf(px, mask.width), mask.x, mask.y));
