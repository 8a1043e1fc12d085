<script setup lang="ts">
import { Film } from '@lucide/vue';
import Button from 'primevue/button';
import Toast from 'primevue/toast';
import { useToast } from 'primevue/usetoast';
import { ref } from 'vue';
import { useRouter } from 'vue-router';
import type { ClipView } from '../../../contract/clips.ts';
import type { ShotView } from '../../../contract/shots.ts';
import ClipRow from './ClipRow.vue';
import DemoComing from './DemoComing.vue';
import { useClips } from './clipsStore.ts';
import ShotRange from './ShotRange.vue';
import { useShots } from './shotsStore.ts';
import UploadRow from './UploadRow.vue';
import { useUploads } from './useUploads.ts';

/** How long "undo" stays in sight after a delete, ms. */
const UNDO_MS = 12_000;

const store = useClips();
const uploads = useUploads();
const toast = useToast();
const chooser = ref<HTMLInputElement>();
const over = ref(false);
const shots = useShots();
const router = useRouter();
/** The clip that a shot is being made of. */
const making = ref<ClipView>();

function drop(event: DragEvent): void {
  over.value = false;
  uploads.add(event.dataTransfer?.files ?? []);
}

function choose(event: Event): void {
  const input = event.target as HTMLInputElement;
  uploads.add(input.files ?? []);
  input.value = '';
}

async function act(work: () => Promise<void>): Promise<boolean> {
  try {
    await work();
    return true;
  } catch (error) {
    toast.add({ severity: 'error', summary: 'That did not work', detail: (error as Error).message, life: UNDO_MS });
    return false;
  }
}

async function remove(clip: ClipView): Promise<void> {
  if (await act(() => store.remove(clip.id))) {
    toast.add({
      severity: 'secondary',
      summary: `“${clip.name}” is deleted`,
      detail: { undo: () => store.restore(clip.id) },
      life: UNDO_MS,
      group: 'deleted',
    });
  }
}

async function removeShot(shot: ShotView): Promise<void> {
  if (await act(() => shots.remove(shot.id))) {
    toast.add({
      severity: 'secondary',
      summary: `The shot “${shot.name}” is deleted`,
      detail: { undo: () => shots.restore(shot.id) },
      life: UNDO_MS,
      group: 'deleted',
    });
  }
}
</script>

<template>
  <main :class="{ over }" @dragover.prevent="over = true" @dragleave.self="over = false" @drop.prevent="drop">
    <section class="head">
      <h2>Footage</h2>
      <p>Drop video files anywhere on this page. They are kept as they are.</p>
      <Button label="Choose files" @click="chooser?.click()" />
      <input
        ref="chooser"
        type="file"
        multiple
        accept="video/*,.mkv,.mxf,.mov"
        hidden
        data-testid="chooser"
        @change="choose"
      />
    </section>

    <DemoComing />

    <ul v-if="uploads.itemsFor().length > 0" class="list" aria-label="Uploads">
      <UploadRow v-for="item in uploads.itemsFor()" :key="item.key" :item="item" @cancel="uploads.cancel(item.key)" />
    </ul>

    <ul v-if="store.clips.length > 0" class="list" aria-label="Clips">
      <ClipRow
        v-for="clip in store.clips"
        :key="clip.id"
        :clip="clip"
        @remove="remove(clip)"
        @new-shot="making = clip"
        @remove-shot="removeShot"
      />
    </ul>
    <div v-else-if="store.loaded && uploads.itemsFor().length === 0" class="empty">
      <Film :size="40" :stroke-width="1.2" />
      <p>No footage yet. Drop the clips that someone walked through.</p>
    </div>

    <ShotRange
      v-if="making"
      :clip="making"
      @close="making = undefined"
      @saved="(shot) => router.push(`/shots/${shot.id}`)"
    />
    <Toast position="bottom-right" />
    <Toast position="bottom-right" group="deleted">
      <template #message="{ message }">
        <span class="deleted">{{ message.summary }}</span>
        <Button size="small" label="Undo" @click="(act(message.detail.undo), toast.removeGroup('deleted'))" />
      </template>
    </Toast>
  </main>
</template>

<style scoped>
main {
  max-width: 1180px;
  min-height: calc(100vh - 44px);
  margin: 0 auto;
  padding: 28px 24px 60px;
}
main.over {
  outline: 2px dashed var(--accent);
  outline-offset: -10px;
}
.head {
  display: flex;
  align-items: baseline;
  gap: 16px;
  margin-bottom: 20px;
}
h2 {
  font-size: 22px;
  font-weight: 620;
}
.head p {
  flex: 1;
  color: var(--faint);
}
.list {
  display: grid;
  gap: 10px;
  margin: 0 0 22px;
  padding: 0;
  list-style: none;
}
.empty {
  display: grid;
  justify-items: center;
  gap: 14px;
  padding: 110px 0;
  color: var(--faint);
}
.deleted {
  flex: 1;
}
</style>
