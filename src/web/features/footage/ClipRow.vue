<script setup lang="ts">
import { Plus, Trash2, TriangleAlert, X } from '@lucide/vue';
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import { computed } from 'vue';
import { RouterLink } from 'vue-router';
import type { ClipView } from '../../../contract/clips.ts';
import type { ShotView } from '../../../contract/shots.ts';
import { urls } from '../../api/client.ts';
import { cautions, factsText, importText, sizeText } from './clipText.ts';
import { useShots } from './shotsStore.ts';

const props = defineProps<{ clip: ClipView }>();
const emit = defineEmits<{ remove: []; newShot: []; removeShot: [shot: ShotView] }>();

const shots = useShots();

const notes = computed(() => (props.clip.info ? cautions(props.clip.info) : []));
</script>

<template>
  <li :data-state="clip.state">
    <div class="text">
      <h3>{{ clip.name }}</h3>
      <p v-if="clip.info" class="facts">{{ factsText(clip.info) }} · {{ sizeText(clip.size) }}</p>
      <p v-for="note in notes" :key="note" class="note">{{ note }}</p>
      <p v-if="clip.error" class="error" role="alert"><TriangleAlert :size="15" /> {{ clip.error.message }}</p>
      <template v-if="clip.state === 'importing'">
        <p class="facts">{{ importText(clip) }}</p>
        <ProgressBar :value="Math.round(clip.progress * 100)" :show-value="false" class="bar" />
      </template>
    </div>
    <Button text severity="secondary" :aria-label="`Delete ${clip.name}`" @click="emit('remove')"
      ><Trash2 :size="17"
    /></Button>
    <img v-if="clip.state === 'ready'" class="strip" :src="urls.strip(clip.id)" alt="" draggable="false" />
    <div v-if="clip.state === 'ready'" class="shots">
      <span v-for="shot in shots.of(clip.id)" :key="shot.id" class="shot">
        <RouterLink :to="`/shots/${shot.id}`">{{ shot.name }}</RouterLink>
        <span class="facts">{{ shot.first }}–{{ shot.last }}</span>
        <Button text size="small" :aria-label="`Delete the shot ${shot.name}`" @click="emit('removeShot', shot)"
          ><X :size="13"
        /></Button>
      </span>
      <Button size="small" label="New shot" :text="shots.of(clip.id).length > 0" @click="emit('newShot')"
        ><template #icon><Plus :size="15" /></template
      ></Button>
    </div>
  </li>
</template>

<style scoped>
li {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 10px 12px;
  padding: 12px 14px 14px;
  border: 1px solid var(--line);
  border-radius: 6px;
  background: var(--sheet);
}
h3 {
  margin: 0 0 3px;
  font-size: 15px;
  font-weight: 600;
  overflow-wrap: anywhere;
}
.facts {
  color: var(--faint);
  font-size: 13.5px;
  font-variant-numeric: tabular-nums;
}
.note {
  display: inline-block;
  margin: 5px 8px 0 0;
  padding: 1px 7px;
  border: 1px solid var(--line);
  border-radius: 9px;
  font-size: 12.5px;
}
.error {
  display: flex;
  gap: 6px;
  align-items: center;
  color: var(--bad);
}
.bar {
  height: 5px;
  margin-top: 8px;
}

.shots {
  display: flex;
  flex-wrap: wrap;
  grid-column: 1 / -1;
  gap: 8px;
}
.shot {
  display: inline-flex;
  align-items: center;
  gap: 8px;
  padding-left: 10px;
  border: 1px solid var(--line);
  border-radius: 5px;
}
.shot a {
  color: var(--accent);
  font-weight: 600;
}
.shot :deep(button) {
  padding: 4px 7px;
}
.strip {
  grid-column: 1 / -1;
  max-width: 100%;
  max-height: 66px;
  border-radius: 3px;
}
</style>
