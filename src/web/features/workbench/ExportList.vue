<script setup lang="ts">
import { Download } from '@lucide/vue';
import Button from 'primevue/button';
import Select from 'primevue/select';
import { computed, ref } from 'vue';
import { STAGES, type ExportKind, type ExportView } from '../../../contract/takes.ts';
import { api, urls } from '../../api/client.ts';
import { useDocument } from '../../document/documentStore.ts';
import { sizeText } from '../footage/clipText.ts';
import { exportNotes, othersOf } from './otherThings.ts';
import { useStage } from './stageStore.ts';
import WorkCard from './WorkCard.vue';
import { isBusy, useWork } from './workStore.ts';

const doc = useDocument();
const stage = useStage();
const work = useWork();

const KINDS: { value: ExportKind; label: string }[] = [
  { value: 'ffv1', label: 'Clean shot, lossless (FFV1)' },
  { value: 'h264', label: 'Clean shot, small (H.264)' },
  { value: 'png', label: 'Clean shot, pictures (PNG, zip)' },
  { value: 'fill', label: 'Fill alone, with alpha' },
  { value: 'matte', label: 'Matte, lossless (FFV1)' },
  { value: 'matte_png', label: 'Matte, pictures (PNG, zip)' },
];
const kind = ref<ExportKind>('ffv1');

function line(row: ExportView): string {
  if (isBusy(row.state)) return `${STAGES[row.stage] ?? row.stage} · ${Math.round(row.progress * 100)} %`;
  if (row.state === 'failed') return row.error?.message ?? 'failed';
  return row.state === 'cancelled' ? 'stopped' : sizeText(row.size ?? 0);
}

/** Of the thing at hand, and not of the shot. */
const own = computed(() => kind.value === 'fill' || kind.value.startsWith('matte'));
const notes = computed(() => (own.value ? '' : exportNotes(othersOf(doc.document, '', work.wholeTakesOf))));

function start(): void {
  void work.startExport(own.value ? { kind: kind.value, removalId: stage.removalId } : { kind: kind.value });
}
</script>

<template>
  <details class="exports" open>
    <summary>Export</summary>
    <div class="new">
      <Select
        v-model="kind"
        :options="KINDS"
        option-label="label"
        option-value="value"
        size="small"
        aria-label="What to export"
      />
      <Button label="Export" size="small" @click="start" />
    </div>
    <p v-if="notes" class="notes" data-testid="export-notes">{{ notes }}</p>
    <ul aria-label="Exports">
      <WorkCard
        v-for="row in work.exports"
        :key="row.id"
        :work="row"
        :name="row.fileName"
        :line="line(row)"
        @stop="work.act(() => api.cancelExport(row.id))"
        @remove="work.act(() => api.removeExport(row.id))"
      >
        <Button
          v-if="row.state === 'done'"
          as="a"
          text
          size="small"
          label="Save"
          :href="urls.exportFile(row.id)"
          :download="row.fileName"
          ><template #icon><Download :size="14" /></template
        ></Button>
      </WorkCard>
    </ul>
  </details>
</template>

<style scoped>
.exports {
  padding: 8px 14px 14px;
}
summary {
  font-size: 13.5px;
  font-weight: 650;
  cursor: pointer;
}
.new {
  display: flex;
  gap: 6px;
  margin: 6px 0;
}
.notes {
  margin-bottom: 6px;
  color: var(--faint);
  font-size: 12px;
  line-height: 1.4;
}
.new :deep(.p-select) {
  flex: 1;
  min-width: 0;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
</style>
