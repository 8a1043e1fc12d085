<script setup lang="ts">
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import ToggleSwitch from 'primevue/toggleswitch';
import { computed } from 'vue';
import type { ClipView } from '../../../contract/clips.ts';
import type { MoverView } from '../../../contract/movers.ts';
import { urls } from '../../api/client.ts';
import { useDocument } from '../../document/documentStore.ts';
import { allGoAway } from './advicePieces.ts';
import { useMovers } from './moversStore.ts';
import { useStage } from './stageStore.ts';

const props = defineProps<{ clip: ClipView }>();
const emit = defineEmits<{ go: [frame: number] }>();
const doc = useDocument();
const stage = useStage();
const store = useMovers();

/** Size of a picture on the screen, px, and how much more than the mover it shows. */
const SIDE = 52;
const AROUND = 1.15;

const STAGE_TEXT: Record<string, string> = {
  decode: 'reads the frames',
  motion: 'finds how the camera moves',
  movers: 'looks for what moves otherwise',
};
const USE_TEXT = { goes: 'goes away', stays: 'stays in front' };
const hasRemoval = computed(() => stage.removalId in doc.document.removals);

/** The frame, so placed and sized that the mover fills the little window. */
function crop({ box: [x, y, width, height] }: MoverView): Record<string, string> {
  const scale = SIDE / (Math.max(width, height) * AROUND);
  const info = props.clip.info!;
  return {
    width: `${info.width * scale}px`,
    height: `${info.height * scale}px`,
    left: `${SIDE / 2 - (x + width / 2) * scale}px`,
    top: `${SIDE / 2 - (y + height / 2) * scale}px`,
  };
}
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
      <p v-else-if="store.search?.state === 'done' && store.movers.length === 0">
        Nothing was found that moves by itself.
      </p>
      <p v-else-if="store.search?.state !== 'done'">Finds what moves against the background, and outlines it.</p>
      <label v-if="store.movers.length > 0" class="shadows" title="Whether a mover comes with the shadow that it casts">
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
        <li
          v-for="(mover, i) in store.movers"
          :key="i"
          @pointerenter="store.shown = i"
          @pointerleave="store.shown = -1"
        >
          <button type="button" class="window" :title="`To frame ${mover.best}`" @click="emit('go', mover.best)">
            <img :src="urls.clipFrame(clip.id, mover.best)" :style="crop(mover)" alt="" />
          </button>
          <div>
            <h3>{{ store.nameOf(i) }}</h3>
            <p>frames {{ mover.first }}–{{ mover.last }}</p>
            <p v-if="store.uses[i]" class="use">{{ USE_TEXT[store.uses[i]!] }}</p>
            <Button v-if="store.uses[i] !== 'goes'" label="Goes away" size="small" @click="store.goesAway(i)" />
            <Button
              v-if="hasRemoval && !store.uses[i]"
              label="Stays in front"
              title="Passes in front of what is chosen above, and stays"
              size="small"
              severity="secondary"
              @click="store.staysInFront(i)"
            />
          </div>
        </li>
      </ol>
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
h3 {
  margin: 0;
  font-size: 13px;
  font-weight: 600;
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
.use {
  font-weight: 600;
}
.all {
  margin: 6px 0 2px;
}
ol {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 9px;
  padding: 6px 0;
}
.shadows {
  display: flex;
  align-items: center;
  justify-content: space-between;
  font-size: 12.5px;
}
.window {
  position: relative;
  flex: none;
  width: 52px;
  height: 52px;
  padding: 0;
  overflow: hidden;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--surround);
  cursor: pointer;
}
img {
  position: absolute;
  max-width: none;
}
li :deep(.p-button) {
  margin: 2px 4px 2px 0;
  padding: 2px 8px;
  font-size: 12.5px;
}
</style>
