<script setup lang="ts">
import { TriangleAlert, X } from '@lucide/vue';
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import { computed } from 'vue';
import { sizeText } from './clipText.ts';
import type { UploadItem } from './useUploads.ts';

const props = defineProps<{ item: Readonly<UploadItem> }>();
defineEmits<{ cancel: [] }>();

const percent = computed(() => (props.item.size === 0 ? 0 : Math.round((100 * props.item.sent) / props.item.size)));
</script>

<template>
  <li>
    <div>
      <h3>{{ item.name }}</h3>
      <p v-if="item.state === 'failed'" class="error" role="alert"><TriangleAlert :size="15" /> {{ item.reason }}</p>
      <p v-else class="facts">
        {{ item.state === 'waiting' ? 'waits for the server' : 'is being sent' }} · {{ sizeText(item.sent) }} of
        {{ sizeText(item.size) }}
      </p>
      <ProgressBar v-if="item.state !== 'failed'" :value="percent" :show-value="false" class="bar" />
    </div>
    <Button text severity="secondary" :aria-label="`Cancel ${item.name}`" @click="$emit('cancel')"
      ><X :size="17"
    /></Button>
  </li>
</template>

<style scoped>
li {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 12px;
  padding: 12px 14px 14px;
  border: 1px dashed var(--line);
  border-radius: 6px;
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
</style>
