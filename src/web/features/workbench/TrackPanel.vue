<script setup lang="ts">
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import Select from 'primevue/select';
import ToggleSwitch from 'primevue/toggleswitch';
import { computed } from 'vue';
import { frameNumbers } from '../../../contract/document.ts';
import { LOSS_TEXT } from '../../../contract/tracks.ts';
import { partsUpTo, type TrackPart } from '../../../core/tracking/regionModel.ts';
import { urls } from '../../api/client.ts';
import { useDocument } from '../../document/documentStore.ts';
import { removeAnchor, removeTrack, setParts } from '../../document/trackEdits.ts';
import { useStage } from './stageStore.ts';
import TrackCorners from './TrackCorners.vue';
import { SURE, useTracks } from './tracksStore.ts';

const props = defineProps<{ frame: number }>();
const emit = defineEmits<{ go: [frame: number] }>();
const doc = useDocument();
const stage = useStage();
const tracks = useTracks();

const MODELS: { value: TrackPart; label: string }[] = [
  { value: 'shift', label: 'Shift' },
  { value: 'scale', label: 'Scale' },
  { value: 'rotation', label: 'Scale and rotation' },
  { value: 'shear', label: 'These and shear' },
  { value: 'perspective', label: 'Perspective' },
];
/** Losses that are listed one by one. */
const LISTED = 4;

const id = computed(() => tracks.currentId);
const track = computed(() => tracks.current);
const follow = computed(() => tracks.follows[id.value] as (typeof tracks.follows)[string] | undefined);
const busy = computed(() => tracks.isBusy(id.value));
const model = computed(() => track.value?.parts.at(-1) ?? 'shift');
const anchors = computed(() => (track.value ? frameNumbers(track.value.anchors) : []));
const known = computed(() => Object.entries(track.value?.frames ?? {}).map(([f, [c]]) => ({ frame: Number(f), c })));
const sure = computed(() => known.value.filter(({ c }) => c >= SURE).length);
const weak = computed(() =>
  known.value
    .filter(({ frame, c }) => c < SURE && !anchors.value.includes(frame))
    .map(({ frame }) => frame)
    .sort((a, b) => a - b),
);
const nextWeak = computed(() => weak.value.find((f) => f > props.frame) ?? weak.value[0]);

function toWeak(): void {
  if (nextWeak.value !== undefined) emit('go', nextWeak.value);
}
defineExpose({ toWeak });

function setModel(part: TrackPart): void {
  const edit = doc.edit('Change the model of a track', (draft) => setParts(draft.tracks[id.value], partsUpTo(part)));
  void tracks.follow(id.value, edit);
}

function dropAnchor(): void {
  const edit = doc.edit('Take an anchor away', (draft) => removeAnchor(draft.tracks[id.value], props.frame));
  void tracks.follow(id.value, edit);
}

function remove(): void {
  doc.edit('Delete a track', (draft) => removeTrack(draft, id.value, props.frame));
  stage.trackId = '';
}
</script>

<template>
  <details v-if="track && !tracks.choseUnridden" class="track" open>
    <summary>{{ track.name }}</summary>
    <template v-if="busy">
      <div class="row" role="status">
        <span>{{ follow?.stage === 'follow' ? 'follows the region' : 'reads the frames' }}</span>
        <Button label="Stop" size="small" severity="secondary" @click="tracks.stop(id)" />
      </div>
      <ProgressBar :value="Math.round((follow?.progress ?? 0) * 100)" :show-value="false" />
    </template>
    <p v-else-if="follow?.state === 'failed'" class="bad">{{ follow.error?.message }}</p>
    <p v-else data-testid="track-state">
      Followed on {{ known.length }} {{ known.length === 1 ? 'frame' : 'frames' }}, sure on {{ sure }}.
      {{ anchors.length }} {{ anchors.length === 1 ? 'anchor' : 'anchors' }}.
    </p>
    <ul v-if="track.losses.length > 0">
      <li v-for="l in track.losses.slice(0, LISTED)" :key="l.from">
        <button type="button" class="link" @click="emit('go', l.from)">
          {{ l.from === l.to ? `Frame ${l.from}` : `Frames ${l.from}–${l.to}` }}</button>: {{ LOSS_TEXT[l.reason] }}.
      </li>
      <li v-if="track.losses.length > LISTED">and {{ track.losses.length - LISTED }} more</li>
    </ul>
    <div class="row">
      <Button
        label="Next weak frame"
        size="small"
        severity="secondary"
        :disabled="nextWeak === undefined"
        @click="toWeak"
      />
      <Button
        v-if="frame in track.anchors && anchors.length > 1"
        label="Drop anchor"
        title="Takes the corners that were set at this frame away"
        size="small"
        text
        @click="dropAnchor"
      />
      <Button
        v-else-if="!busy"
        label="Follow on"
        title="Follows it where frames are missing, and looks again where it was lost"
        size="small"
        text
        @click="tracks.followOn(id)"
      />
    </div>
    <label class="row">
      <span>Motion</span>
      <Select
        :model-value="model"
        :options="MODELS"
        option-label="label"
        option-value="value"
        size="small"
        aria-label="Motion that is solved for"
        @update:model-value="setModel"
      />
    </label>
    <TrackCorners :frame="frame" />
    <label class="row" title="The places that it is compared at, the larger the more they are trusted">
      <span>Show what it holds on to</span>
      <ToggleSwitch v-model="tracks.pointsShown" />
    </label>
    <div class="row links">
      <a :href="urls.trackTable(doc.shotId, id, 'csv')" download>as CSV</a>
      <a :href="urls.trackTable(doc.shotId, id, 'json')" download>as JSON</a>
      <span />
      <Button label="Delete track" size="small" text severity="secondary" @click="remove" />
    </div>
  </details>
</template>

<style scoped src="./fold.css"></style>
<style scoped>
p,
li {
  font-size: 12.5px;
  line-height: 1.45;
  color: var(--faint);
}
ul {
  margin: 4px 0;
  padding-left: 16px;
}
.bad {
  color: var(--bad);
}
.links a {
  font-size: 12.5px;
  color: var(--faint);
}
.link {
  padding: 0;
  border: 0;
  background: none;
  font: inherit;
  color: var(--ink);
  text-decoration: underline;
  cursor: pointer;
}
.row :deep(.p-select) {
  max-width: 178px;
}
</style>
