<script setup lang="ts">
import Button from 'primevue/button';
import { computed, watch } from 'vue';
import { LIMITS } from '../../../contract/document.ts';
import type { ShotView } from '../../../contract/shots.ts';
import { api } from '../../api/client.ts';
import { useDocument } from '../../document/documentStore.ts';
import { fillFromDonor } from '../../document/donorEdits.ts';
import { addRemoval } from '../../document/edits.ts';
import { adviceFor } from './advice.ts';
import type { AdviceAction } from './advicePieces.ts';
import { useMovers } from './moversStore.ts';
import { othersOf } from './otherThings.ts';
import { useReveal } from './revealStore.ts';
import { useStage } from './stageStore.ts';
import { useWork } from './workStore.ts';

const props = defineProps<{ shot: ShotView; clipFrames: number; frame: number; width: number }>();
const emit = defineEmits<{ go: [frame: number]; play: []; export: []; follow: [] }>();

const doc = useDocument();
const stage = useStage();
const work = useWork();
const reveals = useReveal();
const movers = useMovers();

const advice = computed(() =>
  adviceFor({
    shot: props.shot,
    clipFrames: props.clipFrames,
    removalId: stage.removalId,
    removal: doc.document.removals[stage.removalId],
    tracks: doc.document.tracks,
    reveal: reveals.view(stage.removalId),
    takes: work.wholeTakesOf(stage.removalId),
    lookedAt: stage.lookedAt,
    lookedSince: stage.lookedSince,
    search: movers.search,
    uses: movers.uses,
    others: othersOf(doc.document, stage.removalId, work.wholeTakesOf),
  }),
);

// Marks that have changed may lack what those before them had.
watch(
  () => reveals.view(stage.removalId)?.data?.key,
  () => (stage.lookedSince = new Set()),
);

/** They are computed one after the other, each on what is filled by then. */
async function takeAll(removalIds: readonly string[]): Promise<void> {
  for (const id of removalIds) await work.startTake(id, false);
}

function act(action: AdviceAction): void {
  switch (action.kind) {
    case 'add-removal': {
      let id = '';
      doc.edit('Add a thing', (draft) => {
        id = addRemoval(draft);
      });
      return stage.selectRemoval(id);
    }
    case 'choose':
      return stage.selectRemoval(action.removalId);
    case 'search':
      return void movers.start();
    case 'all-away':
      return void movers.allGoAway();
    case 'draw':
      stage.view = 'original';
      stage.tool = 'path';
      return;
    case 'grow':
      return void doc.edit('Grow the matte', (draft) => {
        const removal = draft.removals[stage.removalId];
        removal.grow = Math.min(LIMITS.grow, removal.grow + action.px);
      });
    case 'go':
      return emit('go', action.frame);
    case 'follow':
      stage.selectShape(action.shapeId);
      return emit('follow');
    case 'stays-in-front':
      return void movers.staysInFront(action.mover);
    case 'donor':
      return void doc.edit('Fill from a donor', (draft) => fillFromDonor(draft, stage.removalId, props));
    case 'set-reach':
      return void doc.edit('Change the reach', (draft) => {
        draft.removals[stage.removalId].settings.reach = action.reach;
      });
    case 'set-handles': {
      const handles = { handleBefore: action.before, handleAfter: action.after };
      return void work.act(async () => {
        await api.changeShot(props.shot.id, handles);
        await doc.refresh();
      });
    }
    case 'retry-reveal':
      return void reveals.retry(stage.removalId);
    case 'take':
      return void work.startTake(stage.removalId, action.draft);
    case 'take-all':
      return void takeAll(action.removalIds);
    case 'resume':
      return void work.act(() => api.resumeTake(action.takeId));
    case 'play':
      return emit('play');
    case 'export':
      return emit('export');
  }
}
</script>

<template>
  <section class="next" aria-label="Next" aria-live="polite">
    <p>{{ advice.text }}</p>
    <div class="actions">
      <Button
        v-for="({ label, action }, i) in advice.actions"
        :key="label"
        :label="label"
        size="small"
        :severity="i === 0 ? undefined : 'secondary'"
        @click="act(action)"
      />
    </div>
  </section>
</template>

<style scoped>
.next {
  padding: 12px 14px;
  border-bottom: 1px solid var(--line);
  border-left: 4px solid var(--accent);
}
p {
  font-size: 14px;
  line-height: 1.45;
}
.actions {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 9px;
}
</style>
