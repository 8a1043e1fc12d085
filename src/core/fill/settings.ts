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
}

export const FILL_DEFAULTS: FillSettings = { reach: 100, light: 100, grain: true, seed: 1 };
