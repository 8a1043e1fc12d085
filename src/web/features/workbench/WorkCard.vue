<script setup lang="ts">
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import { RotateCcw, Square, Trash2 } from '@lucide/vue';
import type { WorkProgress } from '../../../contract/takes.ts';
import { isBusy } from './workStore.ts';

/** A piece of work: its name, how it stands, and what can be done with it. */
defineProps<{ work: WorkProgress; name: string; line: string; resumable?: boolean }>();
defineEmits<{ stop: []; resume: []; remove: [] }>();
</script>

<template>
  <li :data-state="work.state">
    <div class="head">
      <slot name="name"
        ><h3>{{ name }}</h3></slot
      >
    </div>
    <p :class="{ bad: work.state === 'failed' }">{{ line }}</p>
    <details v-if="work.error?.log" class="log">
      <summary>Log</summary>
      <pre>{{ work.error.log }}</pre>
    </details>
    <ProgressBar
      v-if="isBusy(work.state)"
      :value="Math.round(work.progress * 100)"
      :show-value="false"
      class="bar"
      :aria-label="`Progress of ${name}`"
    />
    <div class="tools">
      <slot />
      <Button v-if="isBusy(work.state)" text size="small" label="Stop" @click="$emit('stop')"
        ><template #icon><Square :size="13" /></template
      ></Button>
      <Button
        v-if="resumable && (work.state === 'failed' || work.state === 'cancelled')"
        text
        size="small"
        label="Go on"
        @click="$emit('resume')"
        ><template #icon><RotateCcw :size="13" /></template
      ></Button>
      <span class="gap" />
      <Button text size="small" severity="secondary" :aria-label="`Delete ${name}`" @click="$emit('remove')"
        ><Trash2 :size="14"
      /></Button>
    </div>
  </li>
</template>

<style scoped>
li {
  margin-top: 6px;
  padding: 6px 8px 2px;
  border: 1px solid var(--line);
  border-radius: 5px;
}
.head {
  display: flex;
  align-items: center;
  gap: 6px;
}
.head :deep(h3),
h3 {
  flex: 1;
  margin: 0;
  font-size: 13.5px;
  font-weight: 600;
  overflow-wrap: anywhere;
}
p {
  font-size: 12.5px;
  color: var(--faint);
}
p.bad {
  color: var(--bad);
}
.bar {
  height: 5px;
  margin-top: 5px;
}
.tools {
  display: flex;
  margin: 0 -8px;
}
.tools :deep(.p-button) {
  padding: 3px 8px;
}
.gap {
  flex: 1;
}
.log pre {
  max-height: 120px;
  overflow: auto;
  font-size: 11px;
  white-space: pre-wrap;
}
</style>
