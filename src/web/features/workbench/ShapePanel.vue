<script setup lang="ts">
import Button from 'primevue/button';
import Select from 'primevue/select';
import SelectButton from 'primevue/selectbutton';
import ToggleSwitch from 'primevue/toggleswitch';
import { computed } from 'vue';
import { HOLD_FEATHER, isOff, LIMITS, ranked, type RemovalNode, type ShapeNode } from '../../../contract/document.ts';
import type { ShotView } from '../../../contract/shots.ts';
import type { Rect } from '../../../core/image/format.ts';
import { urls } from '../../api/client.ts';
import { useDocument } from '../../document/documentStore.ts';
import { keyFrames, makeConstant, pinKey, removeKey } from '../../document/edits.ts';
import { letGo, rideOn } from '../../document/trackEdits.ts';
import EaseButtons from './EaseButtons.vue';
import { addVariant, removeShape, useVariant } from '../../document/variants.ts';
import FillPanel from './FillPanel.vue';
import NumberField from './NumberField.vue';
import ShapeLineUp from './ShapeLineUp.vue';
import ShapePlace from './ShapePlace.vue';
import { useShapeCopy } from './useShapeCopy.ts';
import { useStage } from './stageStore.ts';

const props = defineProps<{ shot: ShotView; picture: Rect; frame: number }>();
const emit = defineEmits<{ follow: [] }>();
const doc = useDocument();
const stage = useStage();

const removal = computed(() => doc.document.removals[stage.removalId] as RemovalNode | undefined);
const shape = computed(() => removal.value?.shapes[stage.shapeId] as ShapeNode | undefined);
const keys = computed(() => (shape.value ? keyFrames(shape.value) : []));
const keyHere = computed(() => shape.value?.keys[props.frame]);

function editShape(label: string, recipe: (shape: ShapeNode) => void): void {
  const { removalId, shapeId } = stage;
  doc.edit(label, (draft) => {
    const node = draft.removals[removalId]?.shapes[shapeId];
    if (node) recipe(node);
  });
}

function editRemoval(label: string, recipe: (removal: RemovalNode) => void): void {
  const { removalId } = stage;
  doc.edit(label, (draft) => {
    if (draft.removals[removalId]) recipe(draft.removals[removalId]);
  });
}

const holds = computed(() => Object.values(removal.value?.shapes ?? {}).some((s) => s.operation === 'hold'));
const setEdge = (key: 'grow' | 'featherIn' | 'featherOut' | 'holdGrow' | 'holdFeather', value: number): void =>
  editRemoval('Change the edge', (r) => {
    r[key] = value;
  });

const setShadow = (stays: boolean): void =>
  editRemoval('Change what becomes of its shadow', (r) => {
    if (stays) r.shadowStays = true;
    else delete r.shadowStays;
  });

function deleteShape(): void {
  const id = stage.shapeId;
  editRemoval('Delete a shape', (r) => removeShape(r, id));
  stage.selectShape('');
}

const copyChosen = useShapeCopy();

function makeVariant(): void {
  const { removalId, shapeId } = stage;
  let id = '';
  doc.edit('Make a variant', (draft) => {
    id = addVariant(draft.removals[removalId], shapeId);
  });
  stage.selectShape(id);
}

function useThis(): void {
  const { shapeId } = stage;
  editRemoval('Use another variant', (r) => useVariant(r, shapeId));
}

const rides = computed(() => [
  { value: '', label: 'nothing' },
  ...ranked(doc.document.tracks).map(([value, { name }]) => ({ value, label: name })),
]);
function ride(track: string): void {
  const { removalId, shapeId } = stage;
  doc.edit(track ? 'Let a shape ride' : 'Let a shape go', (draft) => {
    const node = draft.removals[removalId].shapes[shapeId];
    if (track) rideOn(draft, node, track, props.frame);
    else letGo(draft, node, props.frame);
  });
}

const limited = computed(() => shape.value?.visible !== undefined);
function limit(on: boolean): void {
  editShape('Change its frames', (s) => {
    if (on) s.visible = { from: props.shot.first, to: props.shot.last };
    else delete s.visible;
  });
}
function setVisible(side: 'from' | 'to', value: number): void {
  editShape('Change its frames', (s) => {
    if (!s.visible) return;
    s.visible[side] = value;
    if (s.visible.from > s.visible.to) s.visible[side === 'from' ? 'to' : 'from'] = value;
  });
}
</script>

<template>
  <div v-if="removal" class="panel">
    <details v-if="shape" open>
      <summary>{{ shape.name }}</summary>
      <SelectButton
        :model-value="shape.operation"
        :options="[
          { label: 'Goes away', value: 'add' },
          { label: 'Cut out', value: 'subtract' },
          { label: 'Stays', value: 'hold' },
        ]"
        option-label="label"
        option-value="value"
        :allow-empty="false"
        size="small"
        aria-label="What the shape does"
        @update:model-value="(value) => editShape('Change what a shape does', (s) => (s.operation = value))"
      />
      <template v-if="shape.matte">
        <NumberField
          label="Begins at frame"
          hint="The frame of the clip at which the matte's first one lies"
          :model-value="shape.matte.start"
          :min="-1000000"
          :max="1000000"
          @commit="(value) => editShape('Move a matte in time', (s) => (s.matte!.start = value))"
        />
        <NumberField
          label="Pace"
          unit="×"
          hint="How many of its frames go by with each of the clip's; below 0 it runs backwards"
          :model-value="shape.matte.pace"
          :min="-LIMITS.pace"
          :max="LIMITS.pace"
          :step="0.1"
          :digits="3"
          @commit="(value) => editShape('Change the pace of a matte', (s) => (s.matte!.pace = value))"
        />
      </template>
      <div v-else class="row">
        <span>{{ keys.length === 1 ? 'the same on all frames' : `${keys.length} keys` }}</span>
        <Button
          v-if="!keyHere"
          label="Key here"
          size="small"
          severity="secondary"
          @click="editShape('Set a key', (s) => pinKey(stage.shapeId, s, frame))"
        />
        <Button
          v-else-if="keys.length > 1"
          label="Delete key"
          size="small"
          severity="secondary"
          @click="editShape('Delete a key', (s) => removeKey(s, frame))"
        />
        <Button
          v-if="keys.length > 1"
          label="Constant"
          title="This outline on all frames"
          size="small"
          text
          @click="editShape('Make it constant', (s) => makeConstant(stage.shapeId, s, frame))"
        />
      </div>
      <EaseButtons
        v-if="keyHere && keys.length > 1"
        :model-value="keyHere.ease"
        label="How it goes on from this key"
        @choose="(value) => editShape('Change how it goes on', (s) => (s.keys[frame].ease = value))"
      />
      <template v-if="!shape.outline && !shape.matte">
        <ShapePlace :frame="frame" />
        <ShapeLineUp :frame="frame" :picture="picture" />
      </template>
      <div v-if="!shape.outline && !shape.matte" class="row">
        <span>Rides on</span>
        <Select
          :model-value="shape.rides?.track ?? ''"
          :options="rides"
          option-label="label"
          option-value="value"
          size="small"
          placeholder="nothing"
          aria-label="What the shape rides on"
          @update:model-value="ride"
        />
        <Button
          v-if="!shape.rides"
          label="Follow it"
          title="Follows what lies under the shape over the whole shot, and lets the shape ride on it (F)"
          size="small"
          @click="emit('follow')"
        />
      </div>
      <label class="row">
        <span>Only on some frames</span>
        <ToggleSwitch :model-value="limited" @update:model-value="limit" />
      </label>
      <template v-if="shape.visible">
        <NumberField
          label="From frame"
          :model-value="shape.visible.from"
          :min="0"
          :max="1000000"
          @commit="setVisible('from', $event)"
        />
        <NumberField
          label="To frame"
          :model-value="shape.visible.to"
          :min="0"
          :max="1000000"
          @commit="setVisible('to', $event)"
        />
      </template>
      <div class="row close">
        <Button
          v-if="!shape.outline && !shape.matte"
          label="Another"
          title="A copy beside it, with its keys, on the same track; with C it comes to where the pointer is"
          size="small"
          text
          severity="secondary"
          @click="copyChosen(frame)"
        />
        <Button
          label="Variant"
          title="A copy to try something else with: one of a shape's variants counts at a time"
          size="small"
          text
          severity="secondary"
          @click="makeVariant"
        />
        <Button
          v-if="isOff(shape)"
          label="Use it"
          title="This variant counts, and the others do not (I)"
          size="small"
          severity="secondary"
          @click="useThis"
        />
        <span />
        <Button
          label="Delete"
          title="Deletes the shape (Del)"
          size="small"
          text
          severity="secondary"
          @click="deleteShape"
        />
      </div>
    </details>

    <details open>
      <summary>Edge</summary>
      <NumberField
        label="Grow"
        unit="px"
        hint="Moves the edge of the matte outward; below 0 inward"
        :model-value="removal.grow"
        :min="-LIMITS.grow"
        :max="LIMITS.grow"
        :step="1"
        :digits="1"
        @commit="setEdge('grow', $event)"
      />
      <NumberField
        label="Feather inward"
        unit="px"
        hint="How far the edge fades into the outline"
        :model-value="removal.featherIn"
        :min="0"
        :max="LIMITS.feather"
        :digits="1"
        @commit="setEdge('featherIn', $event)"
      />
      <NumberField
        label="Feather outward"
        unit="px"
        hint="How far the edge fades beyond the outline"
        :model-value="removal.featherOut"
        :min="0"
        :max="LIMITS.feather"
        :digits="1"
        @commit="setEdge('featherOut', $event)"
      />
      <label class="row" title="The coverage watch then does not miss the shadow">
        <span>Its shadow may stay</span>
        <ToggleSwitch :model-value="removal.shadowStays === true" @update:model-value="setShadow" />
      </label>
      <NumberField
        v-if="holds"
        label="Grow what stays"
        unit="px"
        hint="Moves the edge of what passes in front; below 0 inward"
        :model-value="removal.holdGrow ?? 0"
        :min="-LIMITS.grow"
        :max="LIMITS.grow"
        :digits="1"
        @commit="setEdge('holdGrow', $event)"
      />
      <NumberField
        v-if="holds"
        label="Feather of what stays"
        unit="px"
        hint="How far the edge of what passes in front fades, each way"
        :model-value="removal.holdFeather ?? HOLD_FEATHER"
        :min="0"
        :max="LIMITS.feather"
        :digits="1"
        @commit="setEdge('holdFeather', $event)"
      />
    </details>

    <p v-if="Object.values(removal.shapes).some((s) => !s.matte)" class="files">
      Shapes as
      <a :href="urls.shapes(doc.shotId, stage.removalId, 'svg')" download>SVG</a> or
      <a :href="urls.shapes(doc.shotId, stage.removalId, 'json')" download>JSON</a>
    </p>

    <FillPanel :removal="removal" :frame="frame" :width="picture.width" />
  </div>
</template>

<style scoped src="./fold.css"></style>
<style scoped>
/* Four buttons have room beside one another. */
.close {
  gap: 2px;
}
.close :deep(button) {
  padding-inline: 6px;
  white-space: nowrap;
}
.files,
.files a {
  font-size: 12.5px;
  color: var(--faint);
}
.files {
  padding: 8px 14px 10px;
  border-bottom: 1px solid var(--line);
}
</style>
