<script setup lang="ts">
import { Pause, Play, Repeat } from '@lucide/vue';
import Button from 'primevue/button';
import Slider from 'primevue/slider';
import { computed } from 'vue';
import type { ShotView } from '../../../contract/shots.ts';
import type { Player } from '../../picture/usePlayer.ts';
import { percent } from './advicePieces.ts';
import { useReveal } from './revealStore.ts';
import { useStage } from './stageStore.ts';
import { useWork } from './workStore.ts';

const props = defineProps<{ player: Player; shot: ShotView }>();
const stage = useStage();
const work = useWork();
const reveals = useReveal();

const frame = computed(() => props.player.shown.value);
const here = computed(() => {
  const data = reveals.data[stage.removalId];
  return data?.frames[frame.value - data.first];
});
</script>

<template>
  <div class="tool-bar">
    <Button
      text
      size="small"
      :aria-label="player.playing.value ? 'Stop' : 'Play'"
      title="Space"
      @click="player.toggle()"
      ><Pause v-if="player.playing.value" :size="18" /><Play v-else :size="18"
    /></Button>
    <Button
      text
      size="small"
      :severity="player.loop.value ? undefined : 'secondary'"
      aria-label="Over and over"
      :aria-pressed="player.loop.value"
      title="Play over and over (O)"
      @click="player.toggleLoop()"
      ><Repeat :size="16"
    /></Button>
    <Button
      text
      size="small"
      :severity="player.speed.value < 1 ? undefined : 'secondary'"
      aria-label="Speed"
      title="Speed of playing (V)"
      :label="`${player.speed.value} ×`"
      @click="player.changeSpeed()"
    />
    <output class="frame" aria-label="Frame">{{ frame }}</output>
    <span class="faint">of {{ shot.first }}–{{ shot.last }}</span>
    <span v-if="frame < shot.first || frame > shot.last" class="faint">· handle, not exported</span>
    <span v-if="here && here.hole > 0" class="faint" data-testid="here">
      · {{ percent(here.seen / here.hole) }} seen, {{ percent(here.thin / here.hole) }} thin,
      {{ percent(here.unseen / here.hole) }} never
    </span>
    <label v-if="stage.view === 'difference'" class="gain"
      >× {{ stage.gain }}<Slider v-model="stage.gain" :min="1" :max="32" aria-label="Amplification"
    /></label>
    <span class="gap" />
    <span v-for="w in work.running" :key="w.id" class="job">
      {{ 'draft' in w ? w.name : w.fileName }} {{ Math.round(w.progress * 100) }} %
    </span>
  </div>
</template>

<style scoped>
.frame {
  min-width: 38px;
  font-size: 16px;
  font-weight: 650;
  text-align: right;
}
.frame,
.faint,
.job {
  font-variant-numeric: tabular-nums;
}
.faint,
.job {
  color: var(--faint);
}
.gain {
  display: flex;
  align-items: center;
  gap: 8px;
  width: 150px;
  margin-left: 16px;
}
.gain :deep(.p-slider) {
  flex: 1;
}
</style>
