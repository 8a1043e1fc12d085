import {
  counting,
  frameNumbers,
  toShape,
  type RemovalNode,
  type ShapeNode,
  type Stretch,
} from '../../../contract/document.ts';
import { LOSS_TEXT } from '../../../contract/tracks.ts';
import { comesOver, isDrawnAround, nameOfMover } from '../../document/moverUse.ts';
import {
  button,
  goTo,
  middleOf,
  percent,
  say,
  seenNear,
  whereIs,
  type Advice,
  type AdviceInput,
} from './advicePieces.ts';

/** A stretch without a key that is worth a look in its middle, frames. */
const LONG_GAP = 24;
/** Flags up to this many frames apart are of one stretch. */
const SAME_STRETCH = 5;
/** Frames in which a track that something rides on is lost. */
export function lost({ shot, removal, tracks, lookedAt }: AdviceInput): Advice | undefined {
  for (const [, { name, rides, visible }] of counting(removal!)) {
    const track = rides && (tracks[rides.track] as (typeof tracks)[string] | undefined);
    for (const { from, to, reason } of track?.losses ?? []) {
      const gone = {
        from: Math.max(from, shot.first, visible?.from ?? 0),
        to: Math.min(to, shot.last, visible?.to ?? Infinity),
      };
      if (gone.from > gone.to || seenNear(lookedAt, middleOf(gone))) continue;
      return say(
        `“${name}” rides on “${track!.name}”, which is lost ${whereIs(gone)}: ${LOSS_TEXT[reason]}. Look, and drag the region where it belongs: that sets an anchor.`,
        goTo(gone),
      );
    }
  }
  return undefined;
}

/** An outline that was pointed at but never followed: on all other frames the thing itself counts as background. */
export function notFollowed({ shot, removal, takes: all }: AdviceInput): Advice | undefined {
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
export function notTold({ shot, removal, lookedAt }: AdviceInput): Advice | undefined {
  for (const [, { name, outline }] of counting(removal!)) {
    for (const lost of outline?.lost ?? []) {
      const gone = { from: Math.max(lost.from, shot.first), to: Math.min(lost.to, shot.last) };
      if (gone.from > gone.to || seenNear(lookedAt, middleOf(gone))) continue;
      return say(
        `“${name}” could not be followed ${whereIs(gone)}. Look: where it is there, point at it again.`,
        goTo(gone),
      );
    }
  }
  return undefined;
}

/** A thing that rests, and something that comes in front of it and must not go away with it. */
export function passesInFront(input: AdviceInput): Advice | undefined {
  const { removal, tracks, search, uses, lookedAt, lookedSince, takes: all } = input;
  if (all.some((t) => t.state === 'done' && !t.stale)) return undefined;
  for (const [id, node] of counting(removal!)) {
    if (node.operation !== 'add') continue;
    const shape = toShape(id, node, 0, tracks);
    for (const rest of node.outline?.held ?? drawnToRest(node, input)) {
      const movers = search?.movers ?? [];
      const over = movers.flatMap((m, i) => {
        const frames = comesOver(shape, m, rest);
        return frames && (node.outline || !isDrawnAround(shape, m)) ? [{ i, frames }] : [];
      });
      // Of what was drawn nobody knows whether somebody has seen that.
      const open = (frames: Stretch): boolean => node.outline !== undefined || !seenNear(lookedSince, middleOf(frames));
      const next = over.find(({ i, frames }) => !uses[i] && open(frames));
      if (next) return passer(node.name, nameOfMover(movers, next.i), next.i, node.outline ? rest : next.frames);
      if (!node.outline || over.length > 0 || seenNear(lookedAt, middleOf(rest))) continue;
      return say(
        `“${node.name}” is hidden or hard to tell ${whereIs(rest)}, and goes with its background there. What is in front of it and is to stay wants an outline of its own, as “Stays”.`,
        goTo(rest),
      );
    }
  }
  return undefined;
}

function passer(name: string, who: string, mover: number, frames: Stretch): Advice {
  return say(
    `“${who}” passes in front of “${name}” ${whereIs(frames)}. Is it to stay? Else it loses what lies over the outline.`,
    button('It stays in front', { kind: 'stays-in-front', mover }),
    goTo(frames),
  );
}

/** The shot, if a shape was drawn once and left where it is, before a camera that rests or on a track; else nothing. */
function drawnToRest({ keys, outline, matte, rides }: ShapeNode, { shot, reveal }: AdviceInput): Stretch[] {
  const once = !outline && !matte && frameNumbers(keys).length === 1;
  return once && (rides || reveal?.data?.tripod) ? [{ from: shot.first, to: shot.last }] : [];
}

interface Flag {
  frame: number;
  share: number;
}

/** Frames of the shot that the coverage watch has flagged. */
export const flaggedIn = ({ shot, reveal }: AdviceInput): Flag[] =>
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
export function sticksOut(input: AdviceInput): Advice | undefined {
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
export function gaps({ shot, removal, reveal, lookedAt, takes: all }: AdviceInput): Advice | undefined {
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

/** What passes in front moves, whether the thing does or not. */
const moves = (removal: RemovalNode): boolean =>
  Object.values(removal.shapes).some((s) => s.operation !== 'hold' && Object.keys(s.keys).length > 1);
