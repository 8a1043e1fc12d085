import type { Matrix3 } from '../geometry/homography.ts';
import type { FrameReader } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { Pyramids } from '../motion/pyramids.ts';
import type { Kernels } from '../../kernels/index.ts';
import { areParts } from './areParts.ts';
import { shadeIn, type ShadeAt } from './bodies.ts';
import { evidenceOf, unlikenessOf, type MovingElsewhere } from './evidence.ts';
import { joinParts } from './joinParts.ts';
import { FrameLayer } from './layFrames.ts';
import type { MaskPatch } from './maskPatch.ts';
import { moversOf, type Mover } from './movers.ts';
import { partCrossings } from './partCrossing.ts';
import { RigidWorld, type Explained } from './rigidWorld.ts';
import { movingRegions, type Moving } from './segment.ts';
import { steadied } from './steady.ts';

/** What moves in a frame, and what in it is the ground in less light, if that was asked for. */
export interface MovingFrame extends Moving {
  shade?: MaskPatch;
}

/** Small frames that are held: a frame is compared with others up to 48 frames away. */
const SLOTS = 130;
/** The same where it is looked what stands: a frame, those that it is compared with, and some of the next one's. */
const PYRAMID_SLOTS = 24;

/** Searches a shot for what moves against its background: frame by frame, and then over time. */
export class MoverSearch {
  private readonly layer: FrameLayer;
  private world?: RigidWorld;

  /**
   * @param frames - At a draft's size.
   * @param motion - Of the camera, in their px.
   * @param stays - 1 per px of theirs that shows nothing of the background, such as bars along their sides.
   */
  constructor(
    private readonly kernels: Kernels,
    private readonly frames: FrameReader,
    private readonly motion: CameraMotion,
    stays?: Uint8Array,
  ) {
    this.layer = new FrameLayer(kernels, frames, motion, SLOTS, stays);
  }

  /**
   * What moves in a frame.
   * @param shades - Whether shadows are told apart.
   * @param elsewhere - What is known to move in frames that it is compared with.
   */
  movingIn(frame: number, shades: boolean, elsewhere?: MovingElsewhere): MovingFrame {
    const { kernels, layer, frames } = this;
    const { width, height } = frames.format;
    if (!shades) {
      return movingRegions(kernels, unlikenessOf(kernels, layer, frame, frames.count, elsewhere), width, height);
    }
    const evidence = evidenceOf(kernels, layer, frame, frames.count, elsewhere);
    const moving = movingRegions(kernels, evidence.unlikeness, width, height);
    return { ...moving, shade: shadeIn(evidence, frames.format, partsOf(moving)) };
  }

  /**
   * What moves in frames that have others on one side alone, each with the help of what is known of those.
   * @param run - In the order in which they are looked at.
   * @param known - What moves in other frames.
   */
  movingAtEnd(run: readonly number[], shades: boolean, known: ReadonlyMap<number, Moving>): MovingFrame[] {
    const found = new Map<number, MovingFrame>();
    const elsewhere = (frame: number): MaskPatch[] | undefined => (found.get(frame) ?? known.get(frame))?.regions;
    for (const frame of run) found.set(frame, this.movingIn(frame, shades, elsewhere));
    return [...found.values()];
  }

  /** What moves, largest first. @param moving - Of every frame, from {@link movingIn}. */
  link(moving: readonly MovingFrame[]): Mover[] {
    const { frames, motion } = this;
    const step = (from: number, to: number): Matrix3 => motion.plane(from, to);
    const found = moversOf(moving, step, frames.format, (together) => areParts(together, frames, step));
    const partsAt = moving.map(partsOf);
    const steady = joinParts(found, frames, step).map((mover) => steadied(mover, frames, step, (t) => partsAt[t]));
    return partCrossings(steady, frames, step, this.shadeFinder(moving));
  }

  /** What a rigid world says of some movers, by their masks on a frame. */
  explain(frame: number, masks: readonly MaskPatch[]): (Explained | undefined)[] {
    const { kernels, frames, motion } = this;
    const make = (): RigidWorld =>
      new RigidWorld(kernels, frames, motion, new Pyramids(kernels, frames, PYRAMID_SLOTS));
    return (this.world ??= make()).explain(frame, masks);
  }

  /** Tells what of a frame is ground in less light, also where that was not asked for. */
  private shadeFinder(moving: readonly MovingFrame[]): ShadeAt {
    const found = new Map<number, MaskPatch>();
    return (frame) => {
      const shade = moving[frame].shade ?? found.get(frame) ?? this.shadeOf(moving[frame], frame);
      found.set(frame, shade);
      return shade;
    };
  }

  private shadeOf(moving: Moving, frame: number): MaskPatch {
    const evidence = evidenceOf(this.kernels, this.layer, frame, this.frames.count);
    return shadeIn(evidence, this.frames.format, partsOf(moving));
  }
}

const partsOf = ({ regions, loose }: Moving): MaskPatch[] => [...regions, ...loose];
