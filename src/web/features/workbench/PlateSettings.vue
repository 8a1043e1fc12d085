<script setup lang="ts">
import Button from 'primevue/button';
import SelectButton from 'primevue/selectbutton';
import { computed, ref } from 'vue';
import type { TakeSettings } from '../../../contract/document.ts';
import { urls } from '../../api/client.ts';
import { useDocument } from '../../document/documentStore.ts';
import { useUploads } from '../footage/useUploads.ts';
import ComingList from './ComingList.vue';
import { usePlates } from './platesStore.ts';
import { useStage } from './stageStore.ts';
import { useWork } from './workStore.ts';

/** The plate of a removal: how it comes to be, what it shows, and how it goes out to be painted. */
const props = defineProps<{ settings: TakeSettings; frame: number }>();
const doc = useDocument();
const stage = useStage();
const plates = usePlates();
const uploads = useUploads();
const work = useWork();

const WAYS = [
  { label: 'Agreeing', value: 'mean', title: 'The mean of the frames that agree: sharpest, least grain' },
  { label: 'Median', value: 'median', title: 'The median of all: where most frames show the background' },
] as const;

const statistic = ref<'mean' | 'median'>('mean');
const chooser = ref<HTMLInputElement>();
const plate = computed(() => props.settings.plate);
const place = computed(() => `${doc.shotId} ${stage.removalId}`);
const coming = computed(() => uploads.itemsFor(place.value));
const making = computed(() => plates.makingFor(stage.removalId));
const from = computed(() => (stage.span ? `frames ${stage.span.first}–${stage.span.last}` : 'all frames'));

const build = (): unknown =>
  work.act(() =>
    plates.build({ removalId: stage.removalId, frame: props.frame, statistic: statistic.value, ...stage.span }),
  );

function bring(event: Event): void {
  const input = event.target as HTMLInputElement;
  const about = { shot: doc.shotId, removal: stage.removalId, frame: String(props.frame) };
  uploads.add(input.files ?? [], about, place.value);
  // The same picture may be chosen again, once it has been painted on.
  input.value = '';
}
</script>

<template>
  <section aria-label="Plate">
    <figure v-if="plate">
      <img :src="urls.plate(plate.file, 'small')" :alt="`${plate.name}, where it is known`" />
      <figcaption>{{ plate.name }}, lies at frame {{ plate.frame }}</figcaption>
    </figure>
    <p v-else>A still picture of the background that moves with the camera.</p>
    <ComingList
      label="Plates in the making"
      :coming="coming"
      :making="making"
      @dismiss="(id) => work.act(() => plates.dismiss(id))"
    />
    <div class="row">
      <SelectButton
        v-model="statistic"
        :options="[...WAYS]"
        option-label="label"
        option-value="value"
        :allow-empty="false"
        size="small"
        aria-label="What the frames make of it"
      />
    </div>
    <div class="row">
      <Button
        size="small"
        severity="secondary"
        :label="plate ? 'Build anew' : 'Build it'"
        :title="`Of what ${from} show, as frame ${frame} would see it`"
        @click="build"
      />
      <Button
        size="small"
        severity="secondary"
        label="Bring in…"
        :title="`A PNG or TIFF as large as the picture; it lies at frame ${frame}`"
        @click="chooser?.click()"
      />
      <input
        ref="chooser"
        type="file"
        accept=".png,.tif,.tiff,image/png,image/tiff"
        hidden
        aria-label="Picture for a plate"
        @change="bring"
      />
    </div>
    <div v-if="plate" class="row take">
      <span>Take it along as</span>
      <a :href="urls.plate(plate.file, 'png')" download>PNG</a>
      <a :href="urls.plate(plate.file, 'tif')" download>TIFF</a>
    </div>
  </section>
</template>

<style scoped src="./fold.css"></style>
<style scoped>
section {
  margin: 2px 0 8px;
  padding: 8px;
  border: 1px solid var(--line);
  border-radius: 5px;
}
figure {
  margin: 0;
}
img {
  display: block;
  width: 100%;
  /* Neutral: colours beside it must not be judged wrongly; a weave where nothing is known. */
  background: repeating-conic-gradient(#6e6e6e 0 25%, #828282 0 50%) 0 0 / 12px 12px;
}
figcaption,
p {
  margin: 4px 0;
  font-size: 12.5px;
  color: var(--faint);
}
.take {
  font-size: 12.5px;
}
a {
  color: var(--accent);
}
</style>
