/**
 * Where the pixels of a fill come from: other frames that see the place; a plate; a donor area of the same frame; texture made
 * of the surroundings; their colours, smoothly continued.
 */
export const SOURCE_KINDS = ['frames', 'plate', 'donor', 'texture', 'colours'] as const;
export type SourceKind = (typeof SOURCE_KINDS)[number];

/** The area that is copied over a removal: at `frame` it lies (dx, dy) px from it, and it moves as the background does. */
export interface Donor {
  frame: number;
  dx: number;
  dy: number;
}

/** A plate: a file of {@link Plate}, and the frame at which it lies as it is. */
export interface PlateUse {
  path: string;
  frame: number;
}

/** What a person can set on a take. */
export interface FillSettings {
  /** Frames, each way, that may be searched for the background. */
  reach: number;
  /** How far the fill follows changes of light, 0 (holds its source's light) to 100 percent. */
  light: number;
  /** Whether grain like the footage's is added. */
  grain: boolean;
  /** Varies what is invented (grain, patches); same seed, same bits. */
  seed: number;
  /** In this order: what the first does not know, the next fills; what none knows gets its surroundings' colours. */
  sources: readonly SourceKind[];
  donor?: Donor;
  plate?: PlateUse;
}

export const FILL_DEFAULTS: FillSettings = {
  reach: 300,
  light: 100,
  grain: true,
  seed: 1,
  sources: ['frames', 'texture'],
};
