<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core';
import ProgressBar from 'primevue/progressbar';
import { computed, ref } from 'vue';
import type { DemoComing } from '../../../contract/demo.ts';
import { api } from '../../api/client.ts';

/** Says that example footage is being made, while it is: whoever opens the page at first finds it empty. */
const ASK_MS = 3000;

const coming = ref<DemoComing | null>(null);
const percent = computed(() => Math.round(100 * (coming.value?.done ?? 0)));
const others = computed(() => {
  const { after = 0 } = coming.value ?? {};
  return after === 0 ? 'It is the last one.' : after === 1 ? 'One more follows.' : `${after} more follow.`;
});

useIntervalFn(ask, ASK_MS, { immediateCallback: true });

async function ask(): Promise<void> {
  const state = await api.demo().catch(() => undefined);
  if (state) coming.value = state.coming;
}
</script>

<template>
  <section v-if="coming" role="status">
    <p>
      Example footage is being made on this computer: “{{ coming.name }}”, {{ percent }} %. {{ others }} Your own clips
      can be dropped meanwhile.
    </p>
    <ProgressBar :value="percent" :show-value="false" class="bar" />
  </section>
</template>

<style scoped>
section {
  margin-bottom: 14px;
  padding: 10px 14px 12px;
  border: 1px dashed var(--line);
  border-radius: 6px;
}
p {
  color: var(--faint);
  font-size: 13.5px;
  font-variant-numeric: tabular-nums;
}
.bar {
  height: 4px;
  margin-top: 8px;
}
</style>
