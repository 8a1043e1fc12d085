import { counting, frameNumbers, type RemovalNode, type ShotDocument } from '../../../contract/document.ts';
import type { ShotView } from '../../../contract/shots.ts';
import type { SearchView } from '../../../contract/movers.ts';
import { STAGES, type RevealData, type RevealView, type TakeView } from '../../../contract/takes.ts';
import { LOSS_TEXT } from '../../../contract/tracks.ts';
import { comesOver, type MoverUse } from '../../document/moverUse.ts';

/** What a button of the advice does. */
export type AdviceAction =
  | { kind: 'add-removal' }
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
}

/** A stretch without a key that is worth a look in its middle, frames. */
const LONG_GAP = 24;
/** Flags up to this many frames apart are of one stretch. */
const SAME_STRETCH = 5;
/** Below this share of the hole nobody will miss what was not seen. */
const NEGLIGIBLE = 0.002;
/** From this share on in all of the shot, a thing goes where its background goes. */
const FIXED = 0.97;

/** What is known about a removal and what would help it most now. First rule that applies. */
export function adviceFor(input: AdviceInput): Advice {
  for (const rule of [
    marks,
    work,
    lost,
    notFollowed,
    notTold,
    passesInFront,
    revealState,
    cuts,
    sticksOut,
    gaps,
    unseen,
    takes,
  ]) {
    const advice = rule(input);
    if (advice) return advice;
  }
  const out = flaggedIn(input).length;
  const state = out === 0 ? 'Clean.' : `Filled, but on ${out} ${out === 1 ? 'frame' : 'frames'} something sticks out.`;
  return { text: `${state} Look at it in motion without anything over it, then export.`, actions: endActions };
}

const say = (text: string, ...actions: Advice['actions']): Advice => ({ text, actions });
const button = (label: string, action: AdviceAction): Advice['actions'][number] => ({ label, action });

const endActions = [button('Play it clean', { kind: 'play' }), button('Export', { kind: 'export' })];

function marks({ removal, search }: AdviceInput): Advice | undefined {
  if (!removal) return nothingMarked(search);
  if (Object.keys(removal.shapes).length > 0) return undefined;
  return say(
    'Draw around it where it is seen best. Take its shadow in, or give the shadow an entry of its own.',
    button('Draw an outline', { kind: 'draw' }),
  );
}

function nothingMarked(search: SearchView | null): Advice {
  const add = button('Add a thing', { kind: 'add-removal' });
  const found = search?.movers.length ?? 0;
  if (search?.state === 'queued' || search?.state === 'running') {
    return say('The shot is being searched for what moves. You can mark things yourself meanwhile.', add);
  }
  if (search?.state === 'done' && found > 0) {
    const things = found === 1 ? 'One thing moves' : `${found} things move`;
    return say(
      `${things} by ${found === 1 ? 'itself' : 'themselves'}. Say in the list what goes away, or mark it.`,
      button(found === 1 ? 'It goes away' : `All ${found} go away`, { kind: 'all-away' }),
      add,
    );
  }
  if (search?.state === 'done') return say('Nothing moves by itself here. Mark what is to go away.', add);
  return say(
    'Nothing is marked yet. Let the shot be searched for what moves, or mark the first thing yourself.',
    button('Search for what moves', { kind: 'search' }),
    add,
  );
}

function work({ takes: all }: AdviceInput): Advice | undefined {
  const running = all.find((t) => t.state === 'running' || t.state === 'queued');
  if (running) {
    const left = running.secondsLeft === null ? '' : `, ${secondsText(running.secondsLeft)} left`;
    return say(`“${running.name}” ${STAGES[running.stage] ?? 'runs'}${left}. You can go on meanwhile.`);
  }
  const newest = all.at(-1);
  if (newest?.state === 'failed') {
    return say(
      `“${newest.name}” stopped: ${newest.error?.message ?? ''}`,
      button('Go on with it', { kind: 'resume', takeId: newest.id }),
    );
  }
  return undefined;
}

function revealState({ reveal }: AdviceInput): Advice | undefined {
  if (!reveal) return say('What the shot remembers behind it will be looked up in a moment.');
  if (reveal.state === 'failed') {
    return say(
      `What is behind it could not be looked up: ${reveal.error?.message ?? ''}`,
      button('Try again', { kind: 'retry-reveal' }),
    );
  }
  if (reveal.state === 'working') {
    return say(`Looking up what the shot remembers behind it: ${Math.round(reveal.progress * 100)} %.`);
  }
  return undefined;
}

/** Frames in which a track that something rides on is lost. */
function lost({ shot, removal, tracks, lookedAt }: AdviceInput): Advice | undefined {
  for (const [, { name, rides, visible }] of counting(removal!)) {
    const track = rides && (tracks[rides.track] as (typeof tracks)[string] | undefined);
    for (const { from, to, reason } of track?.losses ?? []) {
      const [a, b] = [Math.max(from, shot.first, visible?.from ?? 0), Math.min(to, shot.last, visible?.to ?? Infinity)];
      const middle = Math.round((a + b) / 2);
      if (a > b || seenNear(lookedAt, middle)) continue;
      return say(
        `“${name}” rides on “${track!.name}”, which is lost ${a === b ? `at frame ${a}` : `from ${a} to ${b}`}: ${LOSS_TEXT[reason]}. Look, and drag the region where it belongs: that sets an anchor.`,
        button(`Go to frame ${middle}`, { kind: 'go', frame: middle }),
      );
    }
  }
  return undefined;
}

/** An outline that was pointed at but never followed: on all other frames the thing itself counts as background. */
function notFollowed({ shot, removal, takes: all }: AdviceInput): Advice | undefined {
  if (all.some((t) => t.state === 'done' && !t.stale)) return undefined;
  for (const [shapeId, { name, outline, visible, keys }] of counting(removal!)) {
    if (!outline || outline.lost.length > 0) continue;
    const frames = frameNumbers(keys);
    const everywhere = visible === undefined || (visible.from <= shot.first && visible.to >= shot.last);
    if (everywhere || frames.some((f) => !(f in outline.anchors))) continue;
    const where = frames.length === 1 ? `frame ${frames[0]}` : `${frames.length} frames`;
    return say(
      `“${name}” is outlined on ${where} only. Follow it over the shot; where it goes wrong, point again.`,
      button('Follow it', { kind: 'follow', shapeId }),
    );
  }
  return undefined;
}

/** Frames in which an outline could not be followed. */
function notTold({ shot, removal, lookedAt }: AdviceInput): Advice | undefined {
  for (const [, { name, outline }] of counting(removal!)) {
    for (const lost of outline?.lost ?? []) {
      const [a, b] = [Math.max(lost.from, shot.first), Math.min(lost.to, shot.last)];
      const middle = Math.round((a + b) / 2);
      if (a > b || seenNear(lookedAt, middle)) continue;
      return say(
        `“${name}” could not be followed ${a === b ? `at frame ${a}` : `from ${a} to ${b}`}. Look: where it is there, point at it again.`,
        button(`Go to frame ${middle}`, { kind: 'go', frame: middle }),
      );
    }
  }
  return undefined;
}

/** A thing that rests, and something that comes in front of it and must not go away with it. */
function passesInFront({ removal, search, uses, lookedAt, takes: all }: AdviceInput): Advice | undefined {
  if (all.some((t) => t.state === 'done' && !t.stale)) return undefined;
  for (const [, shape] of counting(removal!)) {
    for (const held of shape.outline?.held ?? []) {
      const where = held.from === held.to ? `at frame ${held.from}` : `from ${held.from} to ${held.to}`;
      const middle = Math.round((held.from + held.to) / 2);
      const go = button(`Go to frame ${middle}`, { kind: 'go', frame: middle });
      const over = (search?.movers ?? []).map((m, i) => (comesOver(shape, m, held) ? i : -1)).filter((i) => i >= 0);
      const mover = over.find((i) => !uses[i]);
      if (mover !== undefined) {
        return say(
          `“Mover ${mover + 1}” passes in front of “${shape.name}” ${where}. Is it to stay? Else it loses what lies over the outline.`,
          button('It stays in front', { kind: 'stays-in-front', mover }),
          go,
        );
      }
      if (over.length > 0 || seenNear(lookedAt, middle)) continue;
      return say(
        `“${shape.name}” is hidden or hard to tell ${where}, and goes with its background there. What is in front of it and is to stay wants an outline of its own, as “Stays”.`,
        go,
      );
    }
  }
  return undefined;
}

/** Places where the film is cut, or flashes, or goes black. */
function cuts({ shot, reveal, lookedAt }: AdviceInput): Advice | undefined {
  const frame = reveal?.data?.cuts.find((f) => f > shot.first && f <= shot.last && !seenNear(lookedAt, f));
  if (frame === undefined) return undefined;
  return say(
    `The picture changes at once at frame ${frame}: nothing is carried over. If it is a cut, make a shot of each side.`,
    button(`Go to frame ${frame}`, { kind: 'go', frame }),
  );
}

interface Flag {
  frame: number;
  share: number;
}

/** Frames of the shot that the coverage watch has flagged. */
const flaggedIn = ({ shot, reveal }: AdviceInput): Flag[] =>
  (reveal?.data?.coverage?.flagged ?? []).filter(({ frame }) => frame >= shot.first && frame <= shot.last);

const worstOf = (flags: readonly Flag[]): Flag => flags.reduce((a, b) => (b.share > a.share ? b : a));

/** The worst flag of each stretch: what sticks out on neighbouring frames is one thing to look at. */
function worstOfStretches(flags: readonly Flag[]): Flag[] {
  const stretches: Flag[][] = [];
  for (const flag of flags) {
    const open = stretches.at(-1);
    if (open && flag.frame - open.at(-1)!.frame <= SAME_STRETCH) open.push(flag);
    else stretches.push([flag]);
  }
  return stretches.map(worstOf);
}

/** Frames in which something that moves with the thing lies outside of its matte. */
function sticksOut(input: AdviceInput): Advice | undefined {
  const mend = input.reveal?.data?.coverage?.mend;
  const inShot = flaggedIn(input);
  if (!mend || inShot.length === 0) return undefined;
  const [from, to] = [inShot[0].frame, inShot.at(-1)!.frame];
  const many = inShot.length === 1 ? `at frame ${from}` : `on ${inShot.length} frames between ${from} and ${to}`;
  const lookAt = ({ frame }: Flag): Advice['actions'][number] => button(`Go to frame ${frame}`, { kind: 'go', frame });
  if (mend.kind === 'grow') {
    const px = Math.ceil(mend.px);
    return say(
      `Something that moves with it sticks out ${many}. Growing the matte by ${px} px would cover it.`,
      button(`Grow by ${px} px`, { kind: 'grow', px }),
      lookAt(worstOf(inShot)),
    );
  }
  const unseen = worstOfStretches(inShot).filter(({ frame }) => !seenNear(input.lookedSince, frame));
  if (unseen.length === 0) return undefined;
  const worst = worstOf(unseen);
  const marked = [...counting(input.removal!)].find(
    ([, s]) => !s.rides && !s.matte && Object.keys(s.keys).length === 1,
  );
  return say(
    `Something that moves with it sticks out ${many}, ${percent(worst.share)} of it at frame ${worst.frame}. Look, and move the outline: that sets a key.`,
    ...(marked ? [button('Follow it', { kind: 'follow', shapeId: marked[0] })] : []),
    lookAt(worst),
  );
}

/** Frames far from every key that nobody has looked at yet, where an outline may have lost its thing. */
function gaps({ shot, removal, reveal, lookedAt, takes: all }: AdviceInput): Advice | undefined {
  if (all.some((t) => t.state === 'done' && !t.stale)) return undefined;
  for (const [shapeId, { name, keys, visible, rides, matte }] of counting(removal!)) {
    if (rides || matte) continue;
    const frames = frameNumbers(keys);
    const first = Math.max(shot.first, visible?.from ?? 0);
    const last = Math.min(shot.last, visible?.to ?? Infinity);
    if (frames.length === 1 && reveal?.data?.tripod && !moves(removal!)) continue;
    const stops = [first, ...frames.filter((f) => f > first && f < last), last];
    for (let i = 1; i < stops.length; i++) {
      const [a, b] = [stops[i - 1], stops[i]];
      const atEnd = !frames.includes(a) || !frames.includes(b);
      const worst = !frames.includes(b) ? b : !frames.includes(a) ? a : Math.round((a + b) / 2);
      if ((b - a > LONG_GAP || (atEnd && b > a)) && !seenNear(lookedAt, worst)) {
        const between = atEnd
          ? `“${name}” has no key near frame ${worst}.`
          : `“${name}” has no key between ${a} and ${b}.`;
        return say(
          `${between} Look whether it still covers its thing there; if not, move it: that sets a key.`,
          button(`Go to frame ${worst}`, { kind: 'go', frame: worst }),
          ...(frames.length === 1 ? [button('Follow it', { kind: 'follow', shapeId })] : []),
        );
      }
    }
  }
  return undefined;
}

const moves = (removal: RemovalNode): boolean =>
  Object.values(removal.shapes).some((s) => Object.keys(s.keys).length > 1);

const seenNear = (lookedAt: ReadonlySet<number>, frame: number): boolean =>
  [-2, -1, 0, 1, 2].some((d) => lookedAt.has(frame + d));

function unseen({ shot, clipFrames, removal, reveal, takes: all }: AdviceInput): Advice | undefined {
  const { data } = reveal!;
  if (!data || data.total.hole === 0) {
    return say('Its outline covers nothing in this shot. Draw it on the frames from in to out, or change its range.');
  }
  const share = data.total.unseen / data.total.hole;
  if (share < NEGLIGIBLE || all.some((t) => t.state === 'done' && !t.stale)) return undefined;
  // Where the fill comes from somewhere else, what was never seen is no matter.
  if (removal!.settings.sources?.some((kind) => kind === 'donor' || kind === 'colours')) return undefined;
  const worst = worstFrame(data);
  const text = `${percent(share)} of what is behind it was never seen, most of it at frame ${worst}.`;
  const look = button(`Go to frame ${worst}`, { kind: 'go', frame: worst });
  const draft = button('Run a draft', { kind: 'take', draft: true });
  const { reach } = removal!.settings;
  if (reach < data.frames.length - 1) {
    return say(
      `${text} The fill looks ${reach} frames far; the shot has ${data.frames.length}.`,
      button('Look through all of it', { kind: 'set-reach', reach: Math.min(600, data.frames.length - 1) }),
      look,
    );
  }
  if (share >= FIXED) {
    return say(
      `Next to nothing of what is behind it is ever seen: it is fixed to it. What surrounds it will be continued; or copy an area beside it.`,
      draft,
      button('Copy from beside it', { kind: 'donor' }),
    );
  }
  const before = shot.first - shot.handleBefore;
  const after = clipFrames - 1 - shot.last - shot.handleAfter;
  if (before > 0 || after > 0) {
    const more = { before: shot.handleBefore + Math.min(50, before), after: shot.handleAfter + Math.min(50, after) };
    return say(
      `${text} The clip has ${before > 0 ? `${before} more frames before` : `${after} more frames after`} this shot that may show it.`,
      button('Use them as handles', { kind: 'set-handles', ...more }),
      draft,
    );
  }
  const best = data.best ? ` Frame ${data.best.frame} would serve ${percent(data.best.share)} of it.` : '';
  return say(`${text}${best} It will be continued from what surrounds it: judge that on a draft.`, draft, look);
}

function worstFrame({ frames, first }: RevealData): number {
  let worst = 0;
  frames.forEach((f, i) => {
    if (f.unseen > frames[worst].unseen) worst = i;
  });
  return first + worst;
}

function takes({ takes: all, reveal, removal }: AdviceInput): Advice | undefined {
  const done = all.filter((t) => t.state === 'done');
  const share = percent(1 - reveal!.data!.total.unseen / reveal!.data!.total.hole);
  if (done.length === 0) {
    const known = `${share} of what is behind it is ${memoryWord(removal)}`;
    return say(
      `${known}. Run a draft and look at it in motion.`,
      button('Run a draft', { kind: 'take', draft: true }),
      button('Run the full take', { kind: 'take', draft: false }),
    );
  }
  const pick = all.find((t) => t.picked) ?? done.at(-1)!;
  if (pick.stale) {
    return say(
      `“${pick.name}” was made before the last changes. Run it again to see them.`,
      button(`Run a ${pick.draft ? 'draft' : 'full take'}`, { kind: 'take', draft: pick.draft }),
    );
  }
  if (pick.draft) {
    return say(
      'The draft is small and soft, but its motion and light are true. If it holds, run the full take.',
      button('Run the full take', { kind: 'take', draft: false }),
      button('Play it clean', { kind: 'play' }),
    );
  }
  return invented(pick);
}

/** A full take whose background is partly made up wants a closer look than one that is remembered. */
function invented({ outcome }: TakeView): Advice | undefined {
  const share = outcome && outcome.hole > 0 ? outcome.unseen / outcome.hole : 0;
  if (share < NEGLIGIBLE) return undefined;
  const text = `${percent(share)} of the fill was never seen and is continued from what surrounds it. Look closely whether it holds.`;
  return say(text, ...endActions);
}

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

/** A plate or a donor gives what no frame need remember. */
export const memoryWord = (removal: RemovalNode | undefined): 'remembered' | 'known' =>
  removal?.settings.sources?.some((kind) => kind === 'donor' || kind === 'plate') ? 'known' : 'remembered';

/** One line on how a removal stands. */
export function standing(
  removal: RemovalNode,
  reveal: RevealData | null | undefined,
  all: readonly TakeView[],
): string {
  const keys = Object.values(removal.shapes).reduce((n, s) => n + Object.keys(s.keys).length, 0);
  if (Object.keys(removal.shapes).length === 0) return 'not drawn yet';
  const parts = [keys === 0 ? 'a matte' : `${keys} ${keys === 1 ? 'key' : 'keys'}`];
  if (reveal && reveal.total.hole > 0) {
    parts.push(`${percent(1 - reveal.total.unseen / reveal.total.hole)} ${memoryWord(removal)}`);
  }
  const busy = all.find((t) => t.state === 'running' || t.state === 'queued');
  const pick = all.find((t) => t.picked);
  if (busy) parts.push(`${busy.draft ? 'draft' : 'full'} ${Math.round(busy.progress * 100)} %`);
  else if (pick) parts.push(`${pick.draft ? 'draft' : 'full take'}${pick.stale ? ', outdated' : ''}`);
  return parts.join(' · ');
}
