<script setup lang="ts">
import { Check, Play } from '@lucide/vue';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { useToast } from 'primevue/usetoast';
import { computed, ref } from 'vue';
import { STAGES, type TakeView } from '../../../contract/takes.ts';
import { api } from '../../api/client.ts';
import { percent, secondsText } from './advicePieces.ts';
import { useStage } from './stageStore.ts';
import WorkCard from './WorkCard.vue';
import { isBusy, useWork } from './workStore.ts';

const emit = defineEmits<{ look: [] }>();
const stage = useStage();
const work = useWork();
const toast = useToast();

const takes = computed(() => work.takesOf(stage.removalId).toReversed());
const done = computed(() => takes.value.filter((t) => t.state === 'done'));
const sides = computed(() => [
  { label: 'Original', value: 'original' },
  { label: 'The pick', value: 'pick' },
  ...done.value.map((t) => ({ label: t.name, value: t.id })),
]);
const renaming = ref('');

function look(take: TakeView): void {
  stage.right = take.id;
  if (!['filled', 'wipe', 'difference'].includes(stage.view)) stage.view = 'filled';
  emit('look');
}

const line = (t: TakeView): string => {
  if (t.state === 'failed') return t.error?.message ?? 'failed';
  if (t.state === 'cancelled') return 'stopped; what is finished is kept';
  if (isBusy(t.state)) {
    const left = t.secondsLeft === null ? '' : ` · ${secondsText(t.secondsLeft)} left`;
    return `${STAGES[t.stage] ?? t.stage}${left}`;
  }
  const { reach, light, grain } = t.settings;
  const unseen = t.outcome && t.outcome.unseen > 0 ? `${percent(t.outcome.unseen / t.outcome.hole)} invented` : '';
  const again = t.settings.seed ? `try ${t.settings.seed}` : '';
  const only = t.only ? `frames ${t.only.first}–${t.only.last} alone` : '';
  const from = t.settings.sources ? `from ${t.settings.sources.join(', ')}` : '';
  return [again, only, from, `reach ${reach}`, `light ${light} %`, grain ? 'grain' : 'no grain', unseen]
    .filter(Boolean)
    .join(' · ');
};

function rename(take: TakeView, name: string): void {
  renaming.value = '';
  if (name.trim() !== '' && name !== take.name) void work.act(() => api.changeTake(take.id, { name }));
}

/** Another try at what no frame shows: the same take with a seed that none has had. */
function tryAgain({ draft, only }: TakeView): void {
  const seed = 1 + Math.max(...takes.value.map((t) => t.settings.seed ?? 1));
  void work.startTake(stage.removalId, draft, { only: only ?? undefined, seed });
}

async function remove(take: TakeView): Promise<void> {
  if (stage.right === take.id) stage.right = 'pick';
  if (stage.left === take.id) stage.left = 'original';
  await work.act(() => api.removeTake(take.id));
  toast.add({
    severity: 'secondary',
    summary: `“${take.name}” is deleted`,
    detail: take.id,
    life: 12_000,
    group: 'take',
  });
}
</script>

<template>
  <details open class="takes">
    <summary>Takes</summary>
    <div class="run">
      <Button label="Draft" size="small" severity="secondary" @click="work.startTake(stage.removalId, true)" />
      <Button label="Full take" size="small" severity="secondary" @click="work.startTake(stage.removalId, false)" />
    </div>
    <ul aria-label="Takes">
      <WorkCard
        v-for="take in takes"
        :key="take.id"
        :work="take"
        :name="take.name"
        :line="line(take)"
        :class="{ shown: stage.right === take.id }"
        resumable
        @stop="work.act(() => api.cancelTake(take.id))"
        @resume="work.act(() => api.resumeTake(take.id))"
        @remove="remove(take)"
      >
        <template #name>
          <InputText
            v-if="renaming === take.id"
            :default-value="take.name"
            size="small"
            autofocus
            aria-label="Name of the take"
            @keydown.enter="rename(take, ($event.target as HTMLInputElement).value)"
            @keydown.esc="renaming = ''"
            @blur="rename(take, ($event.target as HTMLInputElement).value)"
          />
          <h3 v-else @dblclick="renaming = take.id">{{ take.name }}</h3>
          <span v-if="take.picked" class="badge"><Check :size="12" /> pick</span>
          <span v-if="take.stale" class="badge old" title="Marks, range or the picks beneath have changed since"
            >outdated</span
          >
        </template>
        <Button
          v-if="take.state === 'done' || take.finished.length > 0"
          text
          size="small"
          label="Look"
          @click="look(take)"
          ><template #icon><Play :size="14" /></template
        ></Button>
        <Button
          v-if="take.state === 'done' && !take.picked && !take.only"
          text
          size="small"
          label="Pick"
          @click="work.act(() => api.changeTake(take.id, { picked: true }))"
        />
        <Button
          v-if="take.state === 'done' && take.outcome && take.outcome.unseen > 0"
          text
          size="small"
          label="Another try"
          title="Invents what no frame shows once more, differently, as a take of its own"
          @click="tryAgain(take)"
        />
      </WorkCard>
    </ul>
    <div v-if="done.length > 0" class="compare">
      <label v-for="side in ['left', 'right'] as const" :key="side">
        <span>{{ side === 'left' ? 'Left' : 'Right' }}</span>
        <Select
          v-model="stage[side]"
          :options="sides"
          option-label="label"
          option-value="value"
          size="small"
          :aria-label="side === 'left' ? 'Left side of the comparison' : 'Right side of the comparison'"
        />
      </label>
    </div>
  </details>
</template>

<style scoped>
.takes {
  padding: 8px 14px 12px;
  border-bottom: 1px solid var(--line);
}
summary {
  font-size: 13.5px;
  font-weight: 650;
  cursor: pointer;
}
.run {
  display: flex;
  gap: 6px;
  margin: 6px 0;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
.shown {
  border-color: var(--accent);
}
.badge {
  display: inline-flex;
  align-items: center;
  gap: 2px;
  padding: 0 6px;
  border-radius: 8px;
  background: var(--accent);
  color: var(--sheet);
  font-size: 11.5px;
}
.badge.old {
  border: 1px dashed var(--faint);
  background: none;
  color: var(--faint);
}
.compare {
  display: grid;
  gap: 5px;
  margin-top: 10px;
  font-size: 12.5px;
}
.compare label {
  display: grid;
  grid-template-columns: 44px minmax(0, 1fr);
  align-items: center;
}
</style>
