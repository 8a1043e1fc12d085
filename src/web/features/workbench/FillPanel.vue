<script setup lang="ts">
import { ArrowUp, GripVertical } from '@lucide/vue';
import Button from 'primevue/button';
import ToggleSwitch from 'primevue/toggleswitch';
import { computed, ref } from 'vue';
import { LIMITS, SETTINGS_DEFAULTS, type RemovalNode, type TakeSettings } from '../../../contract/document.ts';
import { FILL_DEFAULTS, SOURCE_KINDS, type SourceKind } from '../../../core/fill/settings.ts';
import { api } from '../../api/client.ts';
import { useDocument } from '../../document/documentStore.ts';
import { fillFromDonor } from '../../document/donorEdits.ts';
import NumberField from './NumberField.vue';
import PlateSettings from './PlateSettings.vue';
import { useStage } from './stageStore.ts';
import { useReorder } from './useReorder.ts';
import { useWork } from './workStore.ts';

/** What a take of a removal is made from, and how. */
const props = defineProps<{ removal: RemovalNode; frame: number; width: number }>();
const doc = useDocument();
const stage = useStage();
const work = useWork();

const SOURCES: Record<SourceKind, { label: string; hint: string }> = {
  frames: { label: 'Other frames', hint: 'What other frames of the shot show of the place' },
  plate: { label: 'Plate', hint: 'A still picture of the background, built from the shot or painted' },
  donor: { label: 'Donor area', hint: 'An area of the same frame, copied over it; it moves as the background does' },
  texture: { label: 'Texture', hint: 'Invented from what surrounds it; for ground, walls, foliage' },
  colours: { label: 'Colours', hint: 'The colours around it, smoothly continued; for sky and plain walls' },
};

const settings = computed(() => props.removal.settings);
const used = computed<readonly SourceKind[]>(() => settings.value.sources ?? FILL_DEFAULTS.sources);
/** Those in use in their order, then the others. */
const rows = computed(() => [...used.value, ...SOURCE_KINDS.filter((k) => !used.value.includes(k))]);
const donor = computed(() => (used.value.includes('donor') ? settings.value.donor : undefined));
/** A still picture or another place lies over whatever passes before the thing, unless that is held. */
const covers = computed(
  () =>
    (used.value.includes('plate') || used.value.includes('donor')) &&
    !Object.values(props.removal.shapes).some((s) => s.operation === 'hold'),
);
const changed = computed(() => {
  const { reach, light, grain, sources } = settings.value;
  const usual = SETTINGS_DEFAULTS;
  return sources !== undefined || reach !== usual.reach || light !== usual.light || grain !== usual.grain;
});

function change(recipe: (settings: TakeSettings) => void): void {
  const { removalId } = stage;
  doc.edit('Change the fill', (draft) => {
    if (draft.removals[removalId]) recipe(draft.removals[removalId].settings);
  });
}

const set = <K extends keyof TakeSettings>(key: K, value: TakeSettings[K]): void =>
  change((s) => {
    s[key] = value;
  });

function use(kind: SourceKind, wanted: boolean): void {
  if (kind === 'donor' && wanted) {
    const { removalId } = stage;
    doc.edit('Fill from a donor', (draft) => fillFromDonor(draft, removalId, props));
    return;
  }
  change((s) => {
    s.sources = wanted ? [...used.value, kind] : used.value.filter((k) => k !== kind);
    // A plate is chosen because nothing else will do: it comes first.
    if (wanted && kind === 'plate') s.sources = [kind, ...used.value];
  });
}

function move(from: number, to: number): void {
  const order = [...used.value];
  const [kind] = order.splice(from, 1);
  order.splice(to, 0, kind);
  set('sources', order);
}

const list = ref<HTMLElement>();
useReorder(list, move);

/** The offset is what the person sees at this frame. */
const moveDonor = (axis: 'dx' | 'dy', value: number): void =>
  change((s) => {
    s.donor = { ...s.donor!, [axis]: value, frame: props.frame };
  });

const fitting = ref(false);
async function fit(): Promise<void> {
  const [{ removalId }, { dx, dy }, { frame }] = [stage, donor.value!, props];
  fitting.value = true;
  // The server goes by the marks that it knows.
  await doc.whenSent();
  const found = await work.act(() => api.fitDonor(doc.shotId, removalId, { frame, dx, dy }));
  fitting.value = false;
  if (!found) return;
  const { likeness: _, ...place } = found;
  doc.edit('Let the donor fit', (draft) => {
    if (draft.removals[removalId]) draft.removals[removalId].settings.donor = place;
  });
}
</script>

<template>
  <details open>
    <summary>
      Fill
      <Button
        v-if="changed"
        label="Reset"
        size="small"
        text
        @click.prevent="
          doc.edit('Reset the fill', (draft) => (draft.removals[stage.removalId].settings = { ...SETTINGS_DEFAULTS }))
        "
      />
    </summary>
    <p id="sources">From, in this order</p>
    <ol ref="list" aria-labelledby="sources">
      <li
        v-for="(kind, i) in rows"
        :key="kind"
        class="row"
        :class="{ movable: used.includes(kind) }"
        :title="SOURCES[kind].hint"
      >
        <div class="grip" :class="{ none: used.length < 2 || !used.includes(kind) }" title="Drag into order">
          <GripVertical :size="15" />
        </div>
        <label :for="`source-${kind}`">{{ SOURCES[kind].label }}</label>
        <Button
          v-if="i > 0 && used.includes(kind)"
          text
          size="small"
          :aria-label="`${SOURCES[kind].label} earlier`"
          @click="move(i, i - 1)"
          ><ArrowUp :size="15"
        /></Button>
        <ToggleSwitch
          :input-id="`source-${kind}`"
          :model-value="used.includes(kind)"
          :disabled="used.length === 1 && used.includes(kind)"
          @update:model-value="use(kind, $event)"
        />
      </li>
    </ol>
    <PlateSettings v-if="used.includes('plate')" :settings="settings" :frame="frame" />
    <template v-if="donor">
      <NumberField
        label="Donor across"
        unit="px"
        hint="How far to the right of it the donor lies; or drag the dashed outline on the picture"
        :model-value="Math.round(donor.dx * 10) / 10"
        :min="-LIMITS.place"
        :max="LIMITS.place"
        :digits="1"
        @commit="moveDonor('dx', $event)"
      />
      <NumberField
        label="Donor down"
        unit="px"
        hint="How far below it the donor lies"
        :model-value="Math.round(donor.dy * 10) / 10"
        :min="-LIMITS.place"
        :max="LIMITS.place"
        :digits="1"
        @commit="moveDonor('dy', $event)"
      />
      <div class="row">
        <p class="note">Placed at frame {{ donor.frame }}; elsewhere it moves as the background does.</p>
        <Button
          class="fit"
          label="Let it fit"
          title="Moves it a little, to where it goes on from what surrounds the thing at this frame: bricks meet bricks"
          size="small"
          severity="secondary"
          :loading="fitting"
          @click="fit"
        />
      </div>
    </template>
    <p v-if="covers" class="note">It covers what passes in front, too: outline that, and say that it stays.</p>
    <NumberField
      label="Reach"
      unit="frames"
      hint="How many frames each way may be searched for the background"
      :model-value="settings.reach"
      :min="1"
      :max="LIMITS.reach"
      @commit="set('reach', $event)"
    />
    <NumberField
      label="Light match"
      unit="%"
      hint="How far the fill follows changes of light; 0 holds the light it was found in"
      :model-value="settings.light"
      :min="0"
      :max="100"
      :step="5"
      @commit="set('light', $event)"
    />
    <label class="row" title="Gives the fill the grain of the footage around it">
      <span>Grain like the footage</span>
      <ToggleSwitch :model-value="settings.grain" @update:model-value="(value) => set('grain', value)" />
    </label>
  </details>
</template>

<style scoped src="./fold.css"></style>
<style scoped>
p {
  margin: 4px 0 0;
  font-size: 12.5px;
  color: var(--faint);
}
ol {
  margin: 0 0 4px;
  padding: 0;
  list-style: none;
}
li label {
  flex: 1;
}
li.in-hand {
  opacity: 0.45;
}
.grip.none {
  visibility: hidden;
}
.note {
  flex: 1;
  margin-bottom: 6px;
}
.fit {
  white-space: nowrap;
}
</style>
