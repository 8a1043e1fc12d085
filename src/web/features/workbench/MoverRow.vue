<script setup lang="ts">
import Button from 'primevue/button';
import { computed } from 'vue';
import type { ClipView } from '../../../contract/clips.ts';
import { urls } from '../../api/client.ts';
import { useDocument } from '../../document/documentStore.ts';
import { useMovers } from './moversStore.ts';
import { useStage } from './stageStore.ts';

const props = defineProps<{ clip: ClipView; number: number }>();
const emit = defineEmits<{ go: [frame: number] }>();
const doc = useDocument();
const stage = useStage();
const store = useMovers();

/** Size of a picture on the screen, px, and how much more than the mover it shows. */
const SIDE = 52;
const AROUND = 1.15;

const USE_TEXT = { goes: 'goes away', stays: 'stays in front' };
const mover = computed(() => store.movers[props.number]);
const use = computed(() => store.uses[props.number]);
const hasRemoval = computed(() => stage.removalId in doc.document.removals);

/** The frame, so placed and sized that the mover fills the little window. */
const crop = computed(() => {
  const [x, y, width, height] = mover.value.box;
  const scale = SIDE / (Math.max(width, height) * AROUND);
  const info = props.clip.info!;
  return {
    width: `${info.width * scale}px`,
    height: `${info.height * scale}px`,
    left: `${SIDE / 2 - (x + width / 2) * scale}px`,
    top: `${SIDE / 2 - (y + height / 2) * scale}px`,
  };
});
</script>

<template>
  <li @pointerenter="store.shown = number" @pointerleave="store.shown = -1">
    <button type="button" class="window" :title="`To frame ${mover.best}`" @click="emit('go', mover.best)">
      <img :src="urls.clipFrame(clip.id, mover.best)" :style="crop" alt="" />
    </button>
    <div>
      <h3>{{ store.nameOf(number) }}</h3>
      <p>frames {{ mover.first }}–{{ mover.last }}</p>
      <p v-if="use" class="use">{{ USE_TEXT[use] }}</p>
      <Button v-if="use !== 'goes'" label="Goes away" size="small" @click="store.goesAway(number)" />
      <Button
        v-if="hasRemoval && !use"
        label="Stays in front"
        title="Passes in front of what is chosen above, and stays"
        size="small"
        severity="secondary"
        @click="store.staysInFront(number)"
      />
    </div>
  </li>
</template>

<style scoped>
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
.use {
  font-weight: 600;
}
li {
  display: flex;
  gap: 9px;
  padding: 6px 0;
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
