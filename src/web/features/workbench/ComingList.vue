<script setup lang="ts">
import { STAGES, type WorkProgress } from '../../../contract/takes.ts';
import UploadRow from '../footage/UploadRow.vue';
import { useUploads, type UploadItem } from '../footage/useUploads.ts';
import WorkCard from './WorkCard.vue';

/** Files on their way to the server, and what is being made of them: mattes, plates. */
defineProps<{ label: string; coming: UploadItem[]; making: (WorkProgress & { id: string; name: string })[] }>();
const emit = defineEmits<{ dismiss: [id: string] }>();
const uploads = useUploads();
</script>

<template>
  <ul v-if="coming.length > 0 || making.length > 0" :aria-label="label">
    <UploadRow v-for="item in coming" :key="item.key" :item="item" @cancel="uploads.cancel(item.key)" />
    <WorkCard
      v-for="row in making"
      :key="row.id"
      :work="row"
      :name="row.name"
      :line="row.error?.message ?? STAGES[row.stage] ?? ''"
      @stop="emit('dismiss', row.id)"
      @remove="emit('dismiss', row.id)"
    />
  </ul>
</template>

<style scoped>
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
</style>
