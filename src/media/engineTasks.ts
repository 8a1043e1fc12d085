import type { StretchDepth } from '../core/depth/depthPlaces.ts';
import type { BodyBehind } from '../core/behind/planBehind.ts';
import type { FramePair } from '../core/carrier/pairs.ts';
import type { PlacedOffsets } from '../core/fill/finish.ts';
import type { FleckSource } from '../core/fill/fleckOffsets.ts';
import type { Statistic } from '../core/fill/fusion.ts';
import type { GrainModel } from '../core/fill/grain.ts';
import type { RimMeasure } from '../core/fill/measure.ts';
import type { Softening } from '../core/fill/soften.ts';
import type { Plate } from '../core/fill/plate.ts';
import type { Region } from '../core/fill/region.ts';
import type { FillSettings } from '../core/fill/settings.ts';
import type { Matrix3 } from '../core/geometry/homography.ts';
import type { FrameFormat, Rect } from '../core/image/format.ts';
import type { CameraMotionData } from '../core/motion/cameraMotion.ts';
import type { MatteCells } from '../core/image/matteCells.ts';
import type { MaskPatch } from '../core/movers/maskPatch.ts';
import type { Moving } from '../core/movers/segment.ts';
import type { RevealMap } from '../core/reveal/reveal.ts';

export interface MovingTask {
  frames: number[];
  /** Whether shadows are told apart. */
  shades: boolean;
}

/** Masks of movers on a frame. */
export interface ExplainTask {
  frame: number;
  masks: MaskPatch[];
}

export interface MovingAtEndTask extends MovingTask {
  /** What moves in frames that these are compared with. */
  known: ReadonlyMap<number, Moving>;
}

/** Everything a thread needs to know of the job; sent once. */
export interface SessionJob {
  frames: { path: string; format: FrameFormat };
  /** Without a path where nothing is marked yet. */
  mattes: { path?: string; format: FrameFormat };
  cells: MatteCells;
  settings: FillSettings;
  /** Px of the frames per px of those in which movers are searched for; 1 if it is not said. */
  searchFactor?: number;
  /** Source frames that a thread keeps, bytes. */
  sourceBytes: number;
  /** Given for a draft: the full-size format, and the factor by which frames and mattes above are smaller. */
  draft?: { format: FrameFormat; factor: number };
}

export interface FrameChoice {
  reveal: RevealMap;
  sources: number[];
}

/** What is kept of a gathered frame: its picture goes to a file, its measures back to the one who asked. */
export interface GatheredFrame {
  frame: number;
  region: Pick<Region, 'frame' | 'rect'>;
  measure: RimMeasure;
  /** Middles of cells about which its sources contradict one another, frame px, interleaved. */
  contradicted: number[];
}

export interface LinkTask {
  pairs: { from: number; to: number }[];
  /** Known poses, from which long links are guessed; without them a pair is guessed from the one before. */
  poses?: Matrix3[];
  levels: number;
}

/** Two frames, and the motions that are tried between them. */
export interface CarrierTask {
  pair: FramePair;
  background: CameraMotionData;
  matte: CameraMotionData;
}

/** A frame, and those from which it is filled. */
export interface SourcedFrame {
  frame: number;
  sources: number[];
}

export interface DepthTask {
  frames: SourcedFrame[];
  /** The one of them in which depths are measured. */
  key: number;
  /** Frames in which they are to be known too. */
  also: number[];
}

/** What is told of places of a frame. */
export interface Told {
  frame: number;
  /** Px of it, interleaved. */
  places: readonly number[];
}

export interface RestlessTask extends SourcedFrame {
  /** As {@link GatherTask.depths}. */
  depths: StretchDepth[];
}

export interface GatherTask {
  frames: SourcedFrame[];
  /** What some frames call restless, if some of the shot's background moves by itself. */
  restless?: Told[];
  /** What lies off the camera's plane, as far as the stretches around the frames know; by the time of their keys. */
  depths: StretchDepth[];
  out: string;
}

export interface FinishTask {
  gathered: string;
  frames: {
    frame: number;
    softening?: Softening;
    transfer: Float32Array;
    grainShares?: number[];
    neighbours: PlacedOffsets[];
    /** What sources of other frames contradict one another about: if few see it here, they are not believed. */
    contradicted: Float64Array;
    /** Who passes behind it. */
    behind: BodyBehind[];
    /** From where flecks are taken that pass before it, the best first. */
    flecks: FleckSource[];
  }[];
  plates: Plate[];
  /** What lies off the camera's plane, all over the shot, by the time of their keys: plates are carried by it. */
  depths: StretchDepth[];
  grain: (GrainModel | undefined)[];
  /** Correlation of the grain of neighbouring frames. */
  stillness: number;
  out: string;
}

export interface StillTask {
  frame: number;
  sources: number[];
  statistic: Statistic;
}

export interface PlateTask extends SourcedFrame {
  /** Px of the frame. */
  rect: Rect;
  local: boolean;
  /** As {@link GatherTask.restless}. */
  restless?: Told[];
  /** As {@link GatheredFrame.contradicted}, of all frames, as this one sees them. */
  contradicted: Float64Array;
}

/** Whether a plate is carried by depth, asked of some frames. */
export interface CarryTask {
  plate: Plate;
  depths: StretchDepth[];
  frames: number[];
}

/** What the sources of a frame contradict one another about: middles of squares, frame px, interleaved, and their side. */
export interface Contradicted {
  frame: number;
  places: number[];
  /** The same if some of the shot's background is known to move by itself. */
  ifRestless: number[];
  /** Whether this frame tells so. */
  restless: boolean;
  side: number;
}
