import { counting, ranked, type ShotDocument } from '../../../contract/document.ts';
import type { TakeView } from '../../../contract/takes.ts';
import { button, say, type Advice, type AdviceInput } from './advicePieces.ts';
import { isBusy } from './workStore.ts';

/** Another thing that goes away in the shot: things are filled in their order, each on what those before it show. */
export interface OtherThing {
  id: string;
  name: string;
  /** Whether it comes before the thing at hand. */
  before: boolean;
  /** How far it is: a full take that is as things are now makes it done. */
  state: 'none' | 'busy' | 'draft' | 'outdated' | 'done';
}

/** The things of a document beside one, in their order. @param takesOf - Without takes of chosen frames. */
export function othersOf(
  document: ShotDocument,
  removalId: string,
  takesOf: (removalId: string) => readonly TakeView[],
): OtherThing[] {
  const order = ranked(document.removals);
  const at = order.findIndex(([id]) => id === removalId);
  return order.flatMap(([id, removal], place) => {
    if (id === removalId || removal.hidden || counting(removal).length === 0) return [];
    return [{ id, name: removal.name, before: place < at, state: stateOf(takesOf(id)) }];
  });
}

function stateOf(takes: readonly TakeView[]): OtherThing['state'] {
  if (takes.some((t) => isBusy(t.state))) return 'busy';
  const pick = takes.find((t) => t.picked);
  if (!pick) return 'none';
  if (pick.stale) return 'outdated';
  return pick.draft ? 'draft' : 'done';
}

const HOW_FAR: Record<OtherThing['state'], string> = {
  none: 'has no take yet',
  busy: 'is still being filled',
  draft: 'has a draft only',
  outdated: 'was filled before the last changes to it, or to what comes before it',
  done: 'is filled',
};

const goOn = ({ id, name }: OtherThing): Advice['actions'][number] =>
  button(`Go to “${name}”`, { kind: 'choose', removalId: id });

/** One press for all full takes that a shot lacks, in their order; nothing if it lacks fewer than two. @param own - Whether the thing at hand lacks one. */
export function takeAll({ others, removalId }: AdviceInput, own: boolean): Advice['actions'] {
  const lacking = (before: boolean): string[] =>
    others.filter((o) => o.before === before && o.state !== 'done' && o.state !== 'busy').map(({ id }) => id);
  const removalIds = [...lacking(true), ...(own ? [removalId] : []), ...lacking(false)];
  if (removalIds.length < 2) return [];
  const all = removalIds.length === 2 ? 'both' : `all ${removalIds.length}`;
  return [button(`Run ${all} full takes`, { kind: 'take-all', removalIds })];
}

/** Whoever fills a thing before those that come before it has to do so again: which one that is. */
export function comesFirst(input: AdviceInput): Advice | undefined {
  const first = input.others.find(({ before, state }) => before && state !== 'done');
  if (!first) return undefined;
  return say(
    `“${first.name}” comes first and ${HOW_FAR[first.state]}. This one is filled on what is filled there, and would have to be run again after it.`,
    goOn(first),
    ...takeAll(input, true),
    button('Run a draft', { kind: 'take', draft: true }),
  );
}

/** A shot is not done as long as another thing is not. @param state - How the thing at hand is. */
export function goOnWith(input: AdviceInput, state: string): Advice | undefined {
  const next = input.others.find((other) => other.state !== 'done');
  if (!next) return undefined;
  return say(
    `${state} “${next.name}” ${HOW_FAR[next.state]}.`,
    goOn(next),
    ...takeAll(input, false),
    button('Play it clean', { kind: 'play' }),
  );
}

/** What somebody who takes the clean shot away now should know of its things; empty if all are done. */
export function exportNotes(things: readonly OtherThing[]): string {
  const say = (state: OtherThing['state'], of: (names: string) => string): string[] => {
    const names = things.filter((thing) => thing.state === state).map(({ name }) => `“${name}”`);
    return names.length > 0 ? [of(names.join(', '))] : [];
  };
  return [
    ...say('none', (names) => `Will still be seen: ${names}.`),
    ...say('busy', (names) => `Being filled: ${names}.`),
    ...say('draft', (names) => `As a draft only: ${names}.`),
    ...say('outdated', (names) => `As before the last changes: ${names}.`),
  ].join(' ');
}
