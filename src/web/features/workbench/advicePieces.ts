import type { ShotDocument, RemovalNode, Stretch } from '../../../contract/document.ts';
import type { SearchView } from '../../../contract/movers.ts';
import type { ShotView } from '../../../contract/shots.ts';
import type { RevealView, TakeView } from '../../../contract/takes.ts';
import type { MoverUse } from '../../document/moverUse.ts';
import type { OtherThing } from './otherThings.ts';

/** What a button of the advice does. */
export type AdviceAction =
  | { kind: 'add-removal' }
  | { kind: 'choose'; removalId: string }
  | { kind: 'search' }
  | { kind: 'all-away' }
  | { kind: 'draw' }
  | { kind: 'grow'; px: number }
  | { kind: 'go'; frame: number }
  | { kind: 'follow'; shapeId: string }
  | { kind: 'stays-in-front'; mover: number }
  | { kind: 'donor' }
  | { kind: 'set-reach'; reach: number }
  | { kind: 'set-handles'; before: number; after: number }
  | { kind: 'retry-reveal' }
  | { kind: 'take'; draft: boolean }
  | { kind: 'take-all'; removalIds: readonly string[] }
  | { kind: 'resume'; takeId: string }
  | { kind: 'play' }
  | { kind: 'export' };

export interface Advice {
  text: string;
  actions: { label: string; action: AdviceAction }[];
}

export interface AdviceInput {
  shot: ShotView;
  clipFrames: number;
  removalId: string;
  removal: RemovalNode | undefined;
  tracks: ShotDocument['tracks'];
  reveal: RevealView | undefined;
  takes: readonly TakeView[];
  lookedAt: ReadonlySet<number>;
  /** Those of them since the marks last changed. */
  lookedSince: ReadonlySet<number>;
  search: SearchView | null;
  /** What has become of each mover of the search. */
  uses: readonly MoverUse[];
  /** What else goes away, in its order. */
  others: readonly OtherThing[];
}

export const say = (text: string, ...actions: Advice['actions']): Advice => ({ text, actions });
export const button = (label: string, action: AdviceAction): Advice['actions'][number] => ({ label, action });

/** Says of so many movers that they go away. */
export const allGoAway = (count: number): string =>
  count === 1 ? 'It goes away' : count === 2 ? 'Both go away' : `All ${count} go away`;

export const whereIs = ({ from, to }: Stretch): string => (from === to ? `at frame ${from}` : `from ${from} to ${to}`);
export const middleOf = ({ from, to }: Stretch): number => Math.round((from + to) / 2);
export const goTo = (frames: Stretch): Advice['actions'][number] =>
  button(`Go to frame ${middleOf(frames)}`, { kind: 'go', frame: middleOf(frames) });

export const seenNear = (lookedAt: ReadonlySet<number>, frame: number): boolean =>
  [-2, -1, 0, 1, 2].some((d) => lookedAt.has(frame + d));

export function percent(share: number): string {
  const p = share * 100;
  // Never "100 %" or "0 %" of what is only nearly so.
  if (p > 99 && p < 100) return `${Math.min(99.9, p).toFixed(1)} %`;
  return `${p > 0 && p < 1 ? Math.max(0.1, p).toFixed(1) : Math.round(p)} %`;
}

export function secondsText(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s`;
  return `${Math.round(seconds / 60)} min`;
}
