<script setup lang="ts">
import { refDebounced, useElementSize } from '@vueuse/core';
import Button from 'primevue/button';
import Dialog from 'primevue/dialog';
import InputText from 'primevue/inputtext';
import { computed, reactive, ref } from 'vue';
import type { ClipView } from '../../../contract/clips.ts';
import type { ShotView } from '../../../contract/shots.ts';
import { api, urls } from '../../api/client.ts';
import NumberField from '../workbench/NumberField.vue';
import { newShotOf } from './newShot.ts';
import { useShots } from './shotsStore.ts';

/** In, out and handles of a shot: of a new one, or of the one given. */
const props = defineProps<{ clip: ClipView; shot?: ShotView }>();
const emit = defineEmits<{ close: []; saved: [shot: ShotView] }>();

const shots = useShots();
const info = computed(() => props.clip.info!);
const end = computed(() => info.value.frames - 1);
const { name, first, last } = props.shot ?? newShotOf(props.clip, info.value.frames, shots.of(props.clip.id));
const range = reactive({
  name,
  first,
  last,
  handleBefore: props.shot?.handleBefore ?? 0,
  handleAfter: props.shot?.handleAfter ?? 0,
});
const problem = ref('');
const strip = ref<HTMLElement>();
const { width } = useElementSize(strip);

const x = (frame: number): number => (frame / info.value.frames) * width.value;
const seconds = computed(() => ((range.last - range.first + 1) * info.value.rate.den) / info.value.rate.num);
const handleFrom = computed(() => Math.max(0, range.first - range.handleBefore));
const handleTo = computed(() => Math.min(end.value, range.last + range.handleAfter));

/** Frames are fetched when the hand rests. */
const shownFirst = refDebounced(
  computed(() => range.first),
  250,
);
const shownLast = refDebounced(
  computed(() => range.last),
  250,
);

function setFirst(frame: number): void {
  range.first = Math.max(0, Math.min(frame, range.last));
}
function setLast(frame: number): void {
  range.last = Math.max(range.first, Math.min(frame, end.value));
}

function drag(event: PointerEvent, side: 'first' | 'last'): void {
  if (event.type === 'pointerdown') return (event.currentTarget as Element).setPointerCapture(event.pointerId);
  if ((event.buttons & 1) === 0) return;
  const at = (event.clientX - strip.value!.getBoundingClientRect().left) / width.value;
  const frame = Math.round(at * info.value.frames);
  if (side === 'first') setFirst(frame);
  else setLast(frame - 1);
}

async function save(): Promise<void> {
  try {
    const saved = props.shot
      ? await api.changeShot(props.shot.id, { ...range })
      : await api.addShot({ clipId: props.clip.id, ...range });
    emit('saved', saved);
    emit('close');
  } catch (error) {
    problem.value = (error as Error).message;
  }
}
</script>

<template>
  <!-- It does not fly in: it gives one of its buttons the focus once it has, and took it from who was typing already. -->
  <Dialog
    visible
    modal
    :pt="{ transition: { css: false } }"
    :header="shot ? 'Range of the shot' : 'New shot'"
    :style="{ width: '900px' }"
    @update:visible="$emit('close')"
  >
    <div class="ends">
      <figure>
        <img :src="urls.clipFrame(clip.id, shownFirst)" alt="" />
        <figcaption>in: frame {{ range.first }}</figcaption>
      </figure>
      <figure>
        <img :src="urls.clipFrame(clip.id, shownLast)" alt="" />
        <figcaption>out: frame {{ range.last }}</figcaption>
      </figure>
    </div>
    <div ref="strip" class="strip" :style="{ backgroundImage: `url(${urls.strip(clip.id)})` }">
      <div class="outside" :style="{ left: 0, width: `${x(range.first)}px` }" />
      <div class="outside" :style="{ left: `${x(range.last + 1)}px`, right: 0 }" />
      <div class="handle" :style="{ left: `${x(handleFrom)}px`, width: `${x(range.first) - x(handleFrom)}px` }" />
      <div
        class="handle"
        :style="{ left: `${x(range.last + 1)}px`, width: `${x(handleTo + 1) - x(range.last + 1)}px` }"
      />
      <div
        v-for="side in ['first', 'last'] as const"
        :key="side"
        class="end"
        :class="side"
        role="slider"
        tabindex="0"
        :aria-label="side === 'first' ? 'In' : 'Out'"
        :aria-valuenow="range[side]"
        :style="{ left: `${x(side === 'first' ? range.first : range.last + 1)}px` }"
        @pointerdown="drag($event, side)"
        @pointermove="drag($event, side)"
        @keydown.left.prevent="side === 'first' ? setFirst(range.first - 1) : setLast(range.last - 1)"
        @keydown.right.prevent="side === 'first' ? setFirst(range.first + 1) : setLast(range.last + 1)"
      />
    </div>
    <div class="fields">
      <label class="name"><span>Name</span><InputText v-model="range.name" size="small" autofocus /></label>
      <NumberField label="In" :model-value="range.first" :min="0" :max="range.last" @commit="setFirst" />
      <NumberField
        label="Handle before"
        unit="frames"
        :model-value="range.handleBefore"
        :min="0"
        :max="1000"
        @commit="range.handleBefore = $event"
      />
      <span />
      <NumberField label="Out" :model-value="range.last" :min="range.first" :max="end" @commit="setLast" />
      <NumberField
        label="Handle after"
        unit="frames"
        :model-value="range.handleAfter"
        :min="0"
        :max="1000"
        @commit="range.handleAfter = $event"
      />
    </div>
    <p class="note">
      {{ range.last - range.first + 1 }} frames, {{ seconds.toFixed(1) }} s. Handles are frames outside in and out where
      the fill may look for the background; they are not exported.
    </p>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <template #footer>
      <Button label="Cancel" text severity="secondary" @click="$emit('close')" />
      <Button :label="shot ? 'Change' : 'Make the shot'" @click="save" />
    </template>
  </Dialog>
</template>

<style scoped>
.ends {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 14px;
}
figure {
  margin: 0;
}
img {
  width: 100%;
  height: 220px;
  object-fit: contain;
  background: var(--surround);
}
figcaption {
  padding: 3px 0 10px;
  color: var(--faint);
  font-variant-numeric: tabular-nums;
}
.strip {
  position: relative;
  height: 60px;
  margin: 4px 8px 14px;
  background-size: 100% 100%;
  touch-action: none;
}
.outside {
  position: absolute;
  inset-block: 0;
  background: color-mix(in srgb, var(--sheet) 78%, transparent);
}
.handle {
  position: absolute;
  bottom: 0;
  height: 16px;
  background: repeating-linear-gradient(45deg, var(--accent) 0 2px, transparent 2px 6px);
  border-top: 1px solid var(--accent);
}
.end {
  position: absolute;
  inset-block: -6px;
  width: 16px;
  margin-left: -8px;
  cursor: ew-resize;
}
.end::after {
  content: '';
  position: absolute;
  inset: 0 6px;
  border-radius: 2px;
  background: var(--accent);
}
.fields {
  display: grid;
  grid-template-columns: 1.2fr 1fr 1.2fr;
  gap: 2px 26px;
}
.name {
  display: flex;
  align-items: center;
  gap: 10px;
}
.name :deep(input) {
  flex: 1;
  min-width: 0;
}
.note {
  padding-top: 10px;
  color: var(--faint);
}
.problem {
  padding-top: 8px;
  color: var(--bad);
}
</style>
