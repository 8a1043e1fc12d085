<script setup lang="ts">
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import { computed } from 'vue';
import { frameNumbers } from '../../../contract/document.ts';
import { useDocument } from '../../document/documentStore.ts';
import { keyFrames } from '../../document/edits.ts';
import { dropAnchor } from '../../document/outlineAnchors.ts';
import { useMattes } from './mattesStore.ts';
import NumberField from './NumberField.vue';
import { useOutlines } from './outlinesStore.ts';
import { useStage } from './stageStore.ts';

const props = defineProps<{ frame: number }>();
const emit = defineEmits<{ go: [frame: number] }>();
const doc = useDocument();
const stage = useStage();
const outlines = useOutlines();
const mattes = useMattes();

/** Stretches that are listed one by one. */
const LISTED = 3;

const shape = computed(() => outlines.current);
const anchors = computed(() => (shape.value ? frameNumbers(shape.value.outline!.anchors) : []));
const known = computed(() => (shape.value ? keyFrames(shape.value).length : 0));
/** Stretches of which something is to be said. */
const told = computed(() =>
  [
    {
      what: 'Not told apart',
      why: 'there it is hidden, or like what is around it.',
      stretches: shape.value?.outline?.lost ?? [],
    },
    {
      what: 'Hidden in part',
      why: 'it rests, so it goes with its background there.',
      stretches: shape.value?.outline?.held ?? [],
    },
  ].filter(({ stretches }) => stretches.length > 0),
);
const count = (n: number, one: string): string => `${n} ${n === 1 ? one : `${one}s`}`;

function takeAway(): void {
  const { removalId, shapeId } = stage;
  const edit = doc.edit('Take an anchor away', (draft) =>
    dropAnchor(draft.removals[removalId].shapes[shapeId], props.frame),
  );
  void outlines.follow(edit);
}

const softening = computed(() => mattes.reading.some((m) => m.name === shape.value?.name && m.state !== 'failed'));
</script>

<template>
  <details v-if="shape || stage.tool === 'point' || stage.tool === 'paint'" class="outline" open>
    <summary>{{ shape ? `${shape.name}, pointed at` : 'Point at a thing' }}</summary>
    <p v-if="!shape">
      Click on the thing, or drag a box around it. Click again to add to it; with Alt or Ctrl to take away.
    </p>
    <template v-else-if="outlines.busy">
      <div class="row" role="status">
        <span>{{ outlines.following?.stage === 'follow' ? 'follows the outline' : 'reads the frames' }}</span>
        <Button label="Stop" size="small" severity="secondary" @click="outlines.stop" />
      </div>
      <ProgressBar :value="Math.round((outlines.following?.progress ?? 0) * 100)" :show-value="false" />
    </template>
    <template v-else>
      <p v-if="outlines.following?.state === 'failed'" class="bad">{{ outlines.following.error?.message }}</p>
      <p data-testid="outline-state">
        Outlined on {{ count(known, 'frame') }}, {{ count(anchors.length, 'anchor') }}.
        <template v-for="{ what, why, stretches } in told" :key="what">
          {{ what }} on
          <template v-for="(l, i) in stretches.slice(0, LISTED)" :key="l.from">
            <template v-if="i > 0">, </template>
            <button type="button" class="link" @click="emit('go', l.from)">
              {{ l.from === l.to ? l.from : `${l.from}–${l.to}` }}
            </button>
          </template>
          <template v-if="stretches.length > LISTED"> and more</template>: {{ why }}
        </template>
      </p>
      <div class="row">
        <Button
          label="Follow it"
          title="Follows the outline over the shot, from its anchors (F)"
          size="small"
          @click="outlines.follow()"
        />
        <Button
          label="Soften its edge"
          title="Makes a matte of it, whose edge is as soft as the picture shows it; the outline stays, as a variant"
          size="small"
          severity="secondary"
          :loading="softening"
          @click="mattes.soften(stage.shapeId)"
        />
        <Button
          v-if="anchors.includes(frame) && anchors.length > 1"
          label="Take anchor away"
          size="small"
          text
          severity="secondary"
          @click="takeAway"
        />
      </div>
    </template>
    <NumberField
      v-if="stage.tool === 'paint'"
      label="Brush"
      unit="px"
      hint="Its width, on the picture"
      :model-value="outlines.brush"
      :min="2"
      :max="400"
      @commit="outlines.brush = $event"
    />
  </details>
</template>

<style scoped src="./fold.css"></style>
<style scoped>
p {
  margin: 4px 0 6px;
  font-size: 12.5px;
  line-height: 1.45;
  color: var(--faint);
}
.bad {
  color: var(--bad);
}
.link {
  padding: 0;
  border: 0;
  background: none;
  color: var(--accent);
  font: inherit;
  cursor: pointer;
}
</style>
