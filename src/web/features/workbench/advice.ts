import type { RemovalNode } from '../../../contract/document.ts';
import type { SearchView } from '../../../contract/movers.ts';
import { STAGES, type RevealData, type TakeView } from '../../../contract/takes.ts';
import {
  allGoAway,
  button,
  percent,
  say,
  secondsText,
  seenNear,
  type Advice,
  type AdviceInput,
} from './advicePieces.ts';
import { flaggedIn, gaps, lost, notFollowed, notTold, passesInFront, sticksOut } from './markAdvice.ts';
import { comesFirst, goOnWith, takeAll } from './otherThings.ts';

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
  const end = { text: `${state} Look at it in motion without anything over it, then export.`, actions: endActions };
  return goOnWith(input, state) ?? invented(pickOf(input)) ?? end;
}

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
  const found = search?.movers.filter(({ stands }) => !stands).length ?? 0;
  if (search?.state === 'queued' || search?.state === 'running') {
    return say('The shot is being searched for what moves. You can mark things yourself meanwhile.', add);
  }
  if (search?.state === 'done' && found > 0) {
    const things = found === 1 ? 'One thing moves' : `${found} things move`;
    return say(
      `${things} by ${found === 1 ? 'itself' : 'themselves'}. Say in the list what goes away, or mark it.`,
      button(allGoAway(found), { kind: 'all-away' }),
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

/** Places where the film is cut, or flashes, or goes black. */
function cuts({ shot, reveal, lookedAt }: AdviceInput): Advice | undefined {
  const frame = reveal?.data?.cuts.find((f) => f > shot.first && f <= shot.last && !seenNear(lookedAt, f));
  if (frame === undefined) return undefined;
  return say(
    `The picture changes at once at frame ${frame}: nothing is carried over. If it is a cut, make a shot of each side.`,
    button(`Go to frame ${frame}`, { kind: 'go', frame }),
  );
}

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
  const beside = button('Copy from beside it', { kind: 'donor' });
  if (data.carried) {
    return say(
      'It is on something that moves, and is filled from that, not from the background. What surrounds it there will be continued; or copy an area beside it.',
      draft,
      beside,
    );
  }
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
      beside,
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

/** The take that counts; the newest, if none was picked. */
const pickOf = ({ takes: all }: AdviceInput): TakeView | undefined =>
  all.find((t) => t.picked) ?? all.filter((t) => t.state === 'done').at(-1);

function takes(input: AdviceInput): Advice | undefined {
  const { reveal, removal } = input;
  const share = percent(1 - reveal!.data!.total.unseen / reveal!.data!.total.hole);
  const pick = pickOf(input);
  const first = !pick || pick.stale || pick.draft ? comesFirst(input) : undefined;
  if (first) return first;
  if (!pick) {
    const known = `${share} of what is behind it is ${memoryWord(removal)}`;
    const { bars, fixed } = reveal!.data!;
    const stays = `${bars ? ' The film’s black bars stay as they are.' : ''}${
      fixed ? ' What is fixed to the picture (a logo, a time code) stays as it is.' : ''
    }`;
    return say(
      `${known}.${stays} Run a draft and look at it in motion.`,
      button('Run a draft', { kind: 'take', draft: true }),
      button('Run the full take', { kind: 'take', draft: false }),
      ...takeAll(input, true),
    );
  }
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
  return undefined;
}

/** A full take whose background is partly made up wants a closer look than one that is remembered. */
function invented(pick: TakeView | undefined): Advice | undefined {
  const outcome = pick?.outcome;
  const share = outcome && outcome.hole > 0 ? outcome.unseen / outcome.hole : 0;
  if (share < NEGLIGIBLE) return undefined;
  const text = `${percent(share)} of the fill was never seen and is continued from what surrounds it. Look closely whether it holds.`;
  return say(text, ...endActions);
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
