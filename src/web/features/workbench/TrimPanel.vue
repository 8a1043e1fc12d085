<script setup lang="ts">
import Button from 'primevue/button';
import { computed, ref, watch } from 'vue';
import { frameNumbers, type RemovalNode } from '../../../contract/document.ts';
import { TRIM_LIMITS } from '../../../contract/trim.ts';
import type { Trim } from '../../../core/fill/trim.ts';
import type { Ease } from '../../../core/shapes/shape.ts';
import { useDocument } from '../../document/documentStore.ts';
import { makeTrimConstant, removeTrimKey, setTrim, trimOf } from '../../document/trimEdits.ts';
import EaseButtons from './EaseButtons.vue';
import NumberField from './NumberField.vue';
import { useStage } from './stageStore.ts';

/** What a hand changes of a fill that is there: it is seen at once, nothing is computed again. */
const props = defineProps<{ removal: RemovalNode; frame: number }>();
const emit = defineEmits<{ go: [frame: number] }>();
const doc = useDocument();
const stage = useStage();

const FIELDS: { field: keyof Trim; label: string; unit: string; step: number; digits: number; hint: string }[] = [
  { field: 'exposure', label: 'Brighter', unit: 'stops', step: 0.05, digits: 2, hint: 'One stop is twice the light' },
  { field: 'warmth', label: 'Warmer', unit: 'mired', step: 1, digits: 1, hint: 'Towards amber; below 0 towards blue' },
  { field: 'tint', label: 'Magenta', unit: '%', step: 1, digits: 1, hint: 'Towards magenta; below 0 towards green' },
  { field: 'saturation', label: 'Colour', unit: '%', step: 5, digits: 0, hint: '0 is grey, 100 is as it was' },
  { field: 'opacity', label: 'Opacity', unit: '%', step: 5, digits: 0, hint: 'Below 100 the thing shines through' },
  {
    field: 'dx',
    label: 'Moved across',
    unit: 'px',
    step: 0.5,
    digits: 2,
    hint: 'The fill under its matte, to the right',
  },
  { field: 'dy', label: 'Moved down', unit: 'px', step: 0.5, digits: 2, hint: 'The fill under its matte, downward' },
];

const trim = computed(() => trimOf(props.removal, props.frame));
const keys = computed(() => frameNumbers(props.removal.trim ?? {}));
/** Open where there is something to see, and as long as a person leaves it open. */
const opened = ref(keys.value.length > 0);
watch(
  () => stage.removalId,
  () => (opened.value = keys.value.length > 0),
);
const here = computed(() => props.removal.trim?.[props.frame]);

function change(label: string, recipe: (removal: RemovalNode) => void): void {
  const { removalId } = stage;
  doc.edit(label, (draft) => {
    if (draft.removals[removalId]) recipe(draft.removals[removalId]);
  });
}

/** What is typed is seen where it tells: on the picture with the fill. */
function set(field: keyof Trim, value: number): void {
  if (stage.view === 'original' || stage.view === 'matte' || stage.view === 'reveal') stage.view = 'filled';
  change('Trim the fill', (r) => setTrim(r, props.frame, field, value));
}

const setEase = (ease: Ease): void =>
  change('How the trim goes on', (r) => {
    if (r.trim?.[props.frame]) r.trim[props.frame].ease = ease;
  });
</script>

<template>
  <details :open="opened" @toggle="opened = ($event.target as HTMLDetailsElement).open">
    <summary>
      Trim by hand
      <Button
        v-if="keys.length > 0"
        label="Reset"
        size="small"
        text
        @click.prevent="change('Reset the trim', (r) => delete r.trim)"
      />
    </summary>
    <NumberField
      v-for="{ field, label, unit, step, digits, hint } in FIELDS"
      :key="field"
      :label="label"
      :unit="unit"
      :hint="hint"
      :step="step"
      :digits="digits"
      :min="TRIM_LIMITS[field][0]"
      :max="TRIM_LIMITS[field][1]"
      :model-value="Math.round(trim[field] * 100) / 100"
      @commit="set(field, $event)"
    />
    <p v-if="keys.length === 0">The pick is changed at once, in all frames; a second key makes it change over time.</p>
    <template v-else>
      <div class="keys" role="group" aria-label="Keys of the trim">
        <Button
          v-for="key in keys"
          :key="key"
          size="small"
          :text="key !== frame"
          :label="String(key)"
          :aria-label="`Trim key at ${key}`"
          @click="emit('go', key)"
        />
      </div>
      <EaseButtons
        v-if="here && keys.length > 1"
        :model-value="here.ease"
        label="How the trim goes on"
        @choose="setEase"
      />
      <div class="row">
        <Button
          v-if="here"
          size="small"
          text
          label="Remove this key"
          @click="change('Remove a trim key', (r) => removeTrimKey(r, frame))"
        />
        <Button
          v-if="keys.length > 1"
          size="small"
          text
          label="The same everywhere"
          @click="change('One trim everywhere', (r) => makeTrimConstant(r, frame))"
        />
      </div>
    </template>
  </details>
</template>

<style scoped src="./fold.css"></style>
<style scoped>
p {
  margin: 4px 0 0;
  font-size: 12.5px;
  color: var(--faint);
}
.keys {
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
  margin: 4px 0;
}
.keys :deep(button) {
  min-width: 40px;
  padding: 2px 6px;
  font-variant-numeric: tabular-nums;
}
</style>
