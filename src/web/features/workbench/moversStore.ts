import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import type { MoverView, SearchView } from '../../../contract/movers.ts';
import { api } from '../../api/client.ts';
import { onServerEvent } from '../../api/events.ts';
import { useDocument } from '../../document/documentStore.ts';
import { holdOut, inEdits, takeAway, takeAwayToo, type NamedOutlines } from '../../document/moverEdits.ts';
import { moverUses, nameOfMover } from '../../document/moverUse.ts';
import { inPlaceOf } from '../../document/variants.ts';
import { useMattes } from './mattesStore.ts';
import { useStage } from './stageStore.ts';
import { isBusy, useWork } from './workStore.ts';

const numbersOf = (movers: readonly MoverView[], isMeant: (mover: MoverView) => boolean): number[] =>
  [...movers.keys()].filter((i) => isMeant(movers[i]));

/** What moves by itself in the shot at hand, as far as it has been searched. */
export const useMovers = defineStore('movers', () => {
  const doc = useDocument();
  const stage = useStage();
  const work = useWork();
  const mattes = useMattes();
  const search = shallowRef<SearchView | null>(null);
  /** The mover that is pointed at in the list; -1 for none. */
  const shown = ref(-1);
  /** Whether movers come with their shadows. */
  const shadows = ref(true);
  let asked = 0;
  /** The outline of what stays, as long as its matte is being made. */
  const rough = ref('');

  /** A search was asked for, and the server has not answered yet. */
  const starting = ref(false);

  const busy = computed(() => starting.value || (search.value !== null && isBusy(search.value.state)));
  /** What a search that goes on is doing, and how far it is, 0 to 1: nothing yet while the server has not answered. */
  const doing = computed(() => {
    const { stage = '', progress = 0 } = starting.value ? {} : (search.value ?? {});
    return { stage, progress };
  });
  const movers = computed(() => (search.value?.state === 'done' ? search.value.movers : []));

  /** What has become of each of them. */
  const uses = computed(() => moverUses(doc.document, movers.value, stage.removalId));
  /** Numbers of what moves, and of what only seems to. */
  const moving = computed(() => numbersOf(movers.value, (m) => !m.stands));
  const standing = computed(() => numbersOf(movers.value, (m) => m.stands === true));
  /** Those that move and that nothing has been made of. */
  const left = computed(() => moving.value.filter((i) => !uses.value[i]));

  async function load(): Promise<void> {
    const mine = ++asked;
    const { shotId } = doc;
    const answer = await api.movers(shotId).catch(() => undefined);
    if (answer && mine === asked && shotId === doc.shotId) search.value = answer.search;
  }

  async function open(): Promise<void> {
    search.value = null;
    shown.value = -1;
    rough.value = '';
    await load();
  }

  onServerEvent((event) => {
    if (!doc.shotId || (event && event.shotId !== doc.shotId)) return;
    if (!event || event.kind === 'search') void load();
  });

  async function start(): Promise<void> {
    starting.value = true;
    await work.act(() => api.searchMovers(doc.shotId));
    await load();
    starting.value = false;
  }

  const stop = (): Promise<void> => work.act(() => api.cancelSearch(doc.shotId)).then(load);

  const nameOf = (mover: number): string => nameOfMover(movers.value, mover);

  /** Makes a removal of a mover and chooses it. */
  async function goesAway(mover: number): Promise<void> {
    const outlines = await work.act(() => api.moverOutlines(doc.shotId, mover, shadows.value));
    if (!outlines) return;
    let id = '';
    doc.edit(`Take away “${nameOf(mover)}”`, (draft) => {
      id = takeAway(draft, nameOf(mover), [{ name: nameOf(mover), outlines }], shadows.value);
    });
    stage.selectRemoval(id);
  }

  /** Makes one removal of all movers that are left, and chooses it. */
  async function allGoAway(): Promise<void> {
    const movers = left.value;
    if (movers.length === 1) return goesAway(movers[0]);
    const withShadows = shadows.value;
    const all: NamedOutlines[] = [];
    for (const i of movers) {
      const outlines = await work.act(() => api.moverOutlines(doc.shotId, i, withShadows));
      if (!outlines) return;
      all.push({ name: nameOf(i), outlines });
    }
    const [first, ...rest] = inEdits(all);
    const label = 'Take away all that moves';
    let id = '';
    let before = doc.edit(label, (draft) => {
      id = takeAway(draft, 'All that moves', first, withShadows);
    });
    for (const group of rest) before = doc.edit(label, (draft) => takeAwayToo(draft, id, group), before);
    stage.selectRemoval(id);
  }

  /**
   * Lets a mover stay in front of the removal at hand: at once by its outline, then by a matte of nothing but itself. Its shadow
   * is not held out, since what goes away would show in it.
   */
  async function staysInFront(mover: number): Promise<void> {
    const { removalId } = stage;
    const outlines = await work.act(() => api.moverOutlines(doc.shotId, mover, false));
    if (!outlines || !(removalId in doc.document.removals)) return;
    let id = '';
    const completes = doc.edit(`Keep “${nameOf(mover)}” in front`, (draft) => {
      id = holdOut(draft, removalId, outlines, nameOf(mover));
    });
    stage.selectShape(id);
    rough.value = id;
    void mattes.soften(id, { apart: true, completes });
  }

  // Who looks at the outline then looks at what counts in its place.
  watch(
    () => inPlaceOf(doc.document.removals[stage.removalId], rough.value),
    (matte) => {
      if (matte === undefined) return;
      if (stage.shapeId === rough.value) stage.selectShape(matte);
      rough.value = '';
    },
  );

  const known = { search, doing, movers, moving, standing, uses, left, shown, shadows, busy };
  return { ...known, open, start, stop, nameOf, goesAway, allGoAway, staysInFront };
});
