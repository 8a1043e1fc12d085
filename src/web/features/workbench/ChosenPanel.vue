<script setup lang="ts">
import Button from 'primevue/button';
import { computed } from 'vue';
import type { ShotView } from '../../../contract/shots.ts';
import type { Ease } from '../../../core/shapes/shape.ts';
import { useDocument } from '../../document/documentStore.ts';
import { laneKeys, retimeKeys, shiftBy, stretchTo, type Retiming } from '../../document/keyGroups.ts';
import { deleteSpan, holdSpan, smoothSpan } from '../../document/trackEdits.ts';
import EaseButtons from './EaseButtons.vue';
import NumberField from './NumberField.vue';
import { useStage } from './stageStore.ts';
import { useTracks } from './tracksStore.ts';
import { useKeyClipboard } from './useKeyClipboard.ts';
import { useWork } from './workStore.ts';

/** What is chosen on the strip, in numbers: keys, and frames. */
const props = defineProps<{ shot: ShotView; clipFrames: number; frame: number }>();
const emit = defineEmits<{ follow: [] }>();
const doc = useDocument();
const stage = useStage();
const tracks = useTracks();
const work = useWork();
const clipboard = useKeyClipboard(() => props.clipFrames);

const frames = computed(() => stage.keys.map((k) => k.frame));
const first = computed(() => Math.min(...frames.value));
const last = computed(() => Math.max(...frames.value));
const removal = computed(() => doc.document.removals[stage.removalId]);
const ease = computed(() => {
  const at = removal.value;
  const eases = new Set(stage.keys.map((k) => at && laneKeys(at, k.lane)?.[k.frame]?.ease));
  return eases.size === 1 ? [...eases][0] : undefined;
});

function retime(label: string, to: Retiming): void {
  const { removalId, keys } = stage;
  doc.edit(label, (draft) => {
    stage.keys = retimeKeys(draft.removals[removalId], keys, to, props.clipFrames);
  });
}

function setEase(value: Ease): void {
  const { removalId, keys } = stage;
  doc.edit('Change how keys go on', (draft) => {
    for (const { lane, frame } of keys) laneKeys(draft.removals[removalId], lane)![frame].ease = value;
  });
}

/** Ends of the chosen frames; the other one gives way. */
function setSpan(side: 'first' | 'last', value: number): void {
  const { first: a, last: b } = stage.span!;
  if (side === 'first') stage.choose(value, Math.max(value, b));
  else stage.choose(Math.min(value, a), value);
}

const TRACK_EDITS = {
  Smooth: { edit: smoothSpan, title: 'Evens the track out over these frames; anchors stay' },
  Hold: { edit: holdSpan, title: 'Keeps the region where it is in the first of these frames' },
  Forget: { edit: deleteSpan, title: 'Deletes these frames of the track, its anchors too' },
};

function editTrack(name: keyof typeof TRACK_EDITS): void {
  const [id, span] = [tracks.currentId, stage.span!];
  doc.edit(`${name} ${span.last - span.first + 1} frames of a track`, (draft) => {
    TRACK_EDITS[name].edit(draft.tracks[id], span.first, span.last);
  });
}
</script>

<template>
  <details v-if="stage.keys.length > 0" class="keys" open data-testid="chosen-keys">
    <summary>{{ stage.keys.length === 1 ? 'A key' : `${stage.keys.length} keys` }}</summary>
    <NumberField
      :label="stage.keys.length === 1 ? 'At frame' : 'From frame'"
      hint="Moves all of them"
      :model-value="first"
      :min="0"
      :max="clipFrames - 1"
      @commit="(f) => retime('Move keys', shiftBy(f - first))"
    />
    <NumberField
      v-if="last > first"
      label="To frame"
      hint="Stretches them; the first stays"
      :model-value="last"
      :min="first + 1"
      :max="clipFrames - 1"
      @commit="(f) => retime('Stretch keys', stretchTo(first, last, f))"
    />
    <EaseButtons :model-value="ease" label="How they go on" @choose="setEase" />
    <div class="row">
      <Button label="Copy" title="Ctrl C" size="small" severity="secondary" @click="clipboard.copy" />
      <span />
      <Button label="None" title="Chooses no key" size="small" text severity="secondary" @click="stage.keys = []" />
    </div>
  </details>
  <details v-if="clipboard.count > 0 && stage.removalId" open>
    <summary>Copied: {{ clipboard.count === 1 ? 'a key' : `${clipboard.count} keys` }}</summary>
    <div class="row">
      <span>From frame {{ frame }} on</span>
      <Button label="Put here" title="Ctrl V" size="small" severity="secondary" @click="clipboard.paste(frame)" />
      <Button
        label="Forget"
        title="Forgets what was copied"
        size="small"
        text
        severity="secondary"
        @click="clipboard.forget"
      />
    </div>
  </details>
  <details v-if="stage.span" class="span" open data-testid="chosen-frames">
    <summary>Chosen frames</summary>
    <NumberField
      label="From frame"
      :model-value="stage.span.first"
      :min="0"
      :max="clipFrames - 1"
      @commit="setSpan('first', $event)"
    />
    <NumberField
      label="To frame"
      :model-value="stage.span.last"
      :min="0"
      :max="clipFrames - 1"
      @commit="setSpan('last', $event)"
    />
    <div v-if="tracks.current" class="row">
      <span>Track</span>
      <Button
        v-for="(entry, name) in TRACK_EDITS"
        :key="name"
        :label="name"
        :title="entry.title"
        size="small"
        severity="secondary"
        @click="editTrack(name)"
      />
    </div>
    <div class="row">
      <Button
        label="Follow"
        title="Follows the track or the outline at hand in these frames alone (F)"
        size="small"
        severity="secondary"
        @click="emit('follow')"
      />
      <Button
        v-if="stage.removalId"
        label="Draft"
        title="A draft that fills these frames alone, with what the whole shot shows"
        size="small"
        severity="secondary"
        @click="work.startTake(stage.removalId, true, { only: stage.span })"
      />
      <span />
      <Button
        label="All"
        title="Chooses no frames: everything is for the whole shot (Esc)"
        size="small"
        text
        severity="secondary"
        @click="stage.choose()"
      />
    </div>
  </details>
</template>

<style scoped src="./fold.css"></style>
