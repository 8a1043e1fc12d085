<script setup lang="ts">
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import ToggleSwitch from 'primevue/toggleswitch';
import type { ClipView } from '../../../contract/clips.ts';
import { allGoAway } from './advicePieces.ts';
import MoverRow from './MoverRow.vue';
import { useMovers } from './moversStore.ts';

defineProps<{ clip: ClipView }>();
const emit = defineEmits<{ go: [frame: number] }>();
const store = useMovers();

const STAGE_TEXT: Record<string, string> = {
  decode: 'reads the frames',
  motion: 'finds how the camera moves',
  movers: 'looks for what moves otherwise',
};
const standText = (n: number): string => {
  const more = store.moving.length > 0 ? ' more' : '';
  return n === 1 ? `One${more} seems to stand` : `${n}${more} seem to stand`;
};
</script>

<template>
  <section class="movers" aria-label="What moves">
    <h2>What moves</h2>
    <template v-if="store.busy">
      <p role="status">{{ STAGE_TEXT[store.doing.stage] ?? 'waits' }}</p>
      <ProgressBar :value="Math.round(store.doing.progress * 100)" :show-value="false" />
      <Button label="Stop" size="small" text @click="store.stop" />
    </template>
    <template v-else>
      <p v-if="store.search?.state === 'failed'" class="bad">{{ store.search.error?.message }}</p>
      <p v-else-if="store.search?.state === 'done' && store.moving.length === 0">
        Nothing was found that moves by itself.
      </p>
      <p v-else-if="store.search?.state !== 'done'">Finds what moves against the background, and outlines it.</p>
      <label v-if="store.moving.length > 0" class="shadows" title="Whether a mover comes with the shadow that it casts">
        <span>with their shadows</span><ToggleSwitch v-model="store.shadows" />
      </label>
      <Button
        v-if="store.left.length > 1"
        :label="allGoAway(store.left.length)"
        title="One removal of all that is listed here and stays so far"
        size="small"
        severity="secondary"
        class="all"
        @click="store.allGoAway"
      />
      <ol aria-label="Movers">
        <MoverRow v-for="i in store.moving" :key="i" :clip="clip" :number="i" @go="(frame) => emit('go', frame)" />
      </ol>
      <details v-if="store.standing.length > 0">
        <summary>{{ standText(store.standing.length) }}</summary>
        <p>Nearer or farther than what is around: they pass by because the camera travels.</p>
        <ol aria-label="What seems to stand">
          <MoverRow v-for="i in store.standing" :key="i" :clip="clip" :number="i" @go="(frame) => emit('go', frame)" />
        </ol>
      </details>
      <Button
        :label="store.search?.state === 'done' ? 'Search again' : 'Search the shot'"
        size="small"
        :text="store.search?.state === 'done'"
        severity="secondary"
        @click="store.start"
      />
    </template>
  </section>
</template>

<style scoped>
.movers {
  padding: 8px 14px 12px;
  border-top: 1px solid var(--line);
}
h2 {
  margin-bottom: 4px;
  font-size: 14px;
  font-weight: 650;
}
p {
  margin: 0 0 4px;
  font-size: 12.5px;
  line-height: 1.4;
  color: var(--faint);
}
.bad {
  color: var(--bad);
}
.all {
  margin: 6px 0 2px;
}
ol {
  margin: 0;
  padding: 0;
  list-style: none;
}
.shadows {
  display: flex;
  align-items: center;
  justify-content: space-between;
  font-size: 12.5px;
}
details {
  margin-top: 4px;
  padding-top: 6px;
  border-top: 1px solid var(--line);
}
summary {
  margin-bottom: 4px;
  font-size: 12.5px;
  cursor: pointer;
}
</style>
