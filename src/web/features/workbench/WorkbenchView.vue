<script setup lang="ts">
import { Keyboard, Redo2, Undo2 } from '@lucide/vue';
import Button from 'primevue/button';
import Toast from 'primevue/toast';
import { useToast } from 'primevue/usetoast';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { ranked } from '../../../contract/document.ts';
import { api } from '../../api/client.ts';
import { useDocument } from '../../document/documentStore.ts';
import { useClips } from '../footage/clipsStore.ts';
import ShotRange from '../footage/ShotRange.vue';
import ChosenPanel from './ChosenPanel.vue';
import ExportList from './ExportList.vue';
import MemoryStrip from './MemoryStrip.vue';
import MoverList from './MoverList.vue';
import { useMattes } from './mattesStore.ts';
import { useMovers } from './moversStore.ts';
import NextPanel from './NextPanel.vue';
import OutlinePanel from './OutlinePanel.vue';
import PictureStage from './PictureStage.vue';
import { usePlates } from './platesStore.ts';
import RemovalList from './RemovalList.vue';
import { useReveal } from './revealStore.ts';
import { pictureBox } from '../../marks/lineUp.ts';
import ShapePanel from './ShapePanel.vue';
import ShortcutSheet from './ShortcutSheet.vue';
import TrackPanel from './TrackPanel.vue';
import { useOutlines } from './outlinesStore.ts';
import { useTracks } from './tracksStore.ts';
import { boundsOf } from '../../marks/pathEdits.ts';
import { useStage } from './stageStore.ts';
import TakeList from './TakeList.vue';
import TrimPanel from './TrimPanel.vue';
import TransportBar from './TransportBar.vue';
import { useShortcuts } from './useShortcuts.ts';
import ViewBar from './ViewBar.vue';
import { useWork } from './workStore.ts';

const props = defineProps<{ id: string }>();
const doc = useDocument();
const stage = useStage();
const work = useWork();
const reveals = useReveal();
const tracks = useTracks();
const outlines = useOutlines();
const movers = useMovers();
const mattes = useMattes();
const plates = usePlates();
const clips = useClips();
const toast = useToast();
const router = useRouter();

const picture = ref<InstanceType<typeof PictureStage>>();
const sheet = ref(false);
const ranging = ref(false);
const problem = ref('');
const root = ref<HTMLElement>();
const trackPanel = ref<InstanceType<typeof TrackPanel>>();
const exportsPanel = ref<InstanceType<typeof ExportList>>();

const shot = computed(() => doc.shot);
const clip = computed(() => clips.clips.find((c) => c.id === shot.value?.clipId));
const clipGone = computed(() => clips.loaded && shot.value !== undefined && !clip.value);
const ready = computed(() => clip.value?.state === 'ready' && shot.value !== undefined);
const player = computed(() => picture.value?.player);
const frame = computed(() => player.value?.shown.value ?? 0);

async function open(): Promise<void> {
  problem.value = '';
  stage.reset();
  reveals.reset();
  try {
    await doc.open(props.id);
    await Promise.all([work.open(), tracks.open(), movers.open(), mattes.open(), plates.open()]);
    stage.selectRemoval(ranked(doc.document.removals)[0]?.[0] ?? '');
  } catch (error) {
    problem.value = (error as Error).message;
  }
}
watch(() => props.id, open, { immediate: true });
watch(picture, (p) => p && shot.value && p.player.go(shot.value.first), { flush: 'post' });

// What another page deleted cannot stay chosen.
watch(
  () => Object.keys(doc.document.removals).join(),
  () => {
    if (!doc.document.removals[stage.removalId]) {
      stage.selectRemoval(ranked(doc.document.removals)[0]?.[0] ?? '');
    }
  },
);

function toggleClean(): void {
  stage.clean = !stage.clean;
  if (stage.clean) void root.value?.requestFullscreen().catch(() => undefined);
  else if (document.fullscreenElement) void document.exitFullscreen();
}

function playClean(): void {
  stage.right = 'pick';
  stage.view = 'filled';
  if (!stage.clean) toggleClean();
  player.value?.toggle();
}

function showExports(): void {
  (exportsPanel.value?.$el as HTMLElement | undefined)?.scrollIntoView({ behavior: 'smooth', block: 'end' });
}

/** Follows the outline of the chosen shape, or a region under it, or goes on with the track that it rides on or that is at hand. */
function follow(): void {
  if (outlines.current) return void outlines.follow();
  if (!tracks.choseUnridden) return void (tracks.currentId && tracks.followOn(tracks.currentId));
  const shape = picture.value?.editing.selected.value;
  if (!shape) return;
  const { x, y, width, height } = boundsOf(shape.points);
  tracks.followShape(frame.value, [x, y, x + width, y, x + width, y + height, x, y + height]);
}

/** To the next frame in which something sticks out of the matte, the chosen outline is lost, or the track at hand is weak. */
function toWeak(): void {
  const flagged = reveals.data[stage.removalId]?.coverage?.flagged ?? [];
  const lost = outlines.current?.outline?.lost ?? [];
  const frames = [...flagged.map((f) => f.frame), ...lost.map((l) => l.from)].sort((a, b) => a - b);
  const next = frames.find((f) => f > frame.value) ?? frames.at(0);
  if (next !== undefined && player.value) {
    player.value.pause();
    player.value.go(next);
  } else trackPanel.value?.toWeak();
}

useShortcuts(() => {
  const p = picture.value;
  if (!p || !shot.value) return undefined;
  const { first, last } = shot.value;
  return {
    player: p.player,
    viewport: p.viewport,
    editing: p.editing,
    region: p.region,
    clipFrames: () => clip.value?.info?.frames ?? 0,
    follow,
    toWeak,
    bounds: () => ({ first, last }),
    toggleClean,
    help: () => (sheet.value = true),
  };
});

function onFullscreen(): void {
  if (!document.fullscreenElement) stage.clean = false;
}

/** A button or switch that was clicked, not pressed by a key, does not keep the keys of the picture. */
function letGo(event: MouseEvent): void {
  const element = document.activeElement;
  const kept = element instanceof HTMLElement && element.matches('button, summary, input[type=checkbox]');
  if (kept && event.detail > 0) element.blur();
}

watch(
  () => doc.refusal,
  (text) => {
    if (text === '') return;
    toast.add({ severity: 'warn', summary: 'A change was not taken', detail: text, life: 15_000 });
    doc.refusal = '';
  },
);
watch(
  () => work.failure,
  (text) => {
    if (text === '') return;
    toast.add({ severity: 'error', summary: 'That did not work', detail: text, life: 12_000 });
    work.failure = '';
  },
);
</script>

<template>
  <main v-if="problem || clipGone" class="problem">
    <p>{{ problem || 'The clip of this shot has been deleted.' }}</p>
    <Button label="To the footage" @click="router.push('/')" />
  </main>
  <main
    v-else-if="ready && clip && shot"
    ref="root"
    class="bench"
    :class="{ clean: stage.clean }"
    @fullscreenchange="onFullscreen"
    @click="letGo"
  >
    <nav class="tool-bar">
      <Button text size="small" label="Footage" @click="router.push('/')" />
      <strong>{{ shot.name }}</strong>
      <Button
        text
        size="small"
        severity="secondary"
        :label="`frames ${shot.first}–${shot.last}, handles ${shot.handleBefore} and ${shot.handleAfter}`"
        @click="ranging = true"
      />
      <span v-if="doc.offline" class="offline" role="status">
        The server cannot take edits just now. {{ doc.stored }}
        {{ doc.stored === 1 ? 'change waits' : 'changes wait' }} here and will be sent.
      </span>
      <span class="gap" />
      <Button
        text
        size="small"
        severity="secondary"
        aria-label="Undo"
        :title="doc.undoLabel ? `Undo: ${doc.undoLabel} (Ctrl Z)` : 'Nothing to undo'"
        :disabled="!doc.undoLabel"
        @click="doc.undo"
        ><Undo2 :size="17"
      /></Button>
      <Button
        text
        size="small"
        severity="secondary"
        aria-label="Redo"
        :title="doc.redoLabel ? `Redo: ${doc.redoLabel} (Ctrl Shift Z)` : 'Nothing to redo'"
        :disabled="!doc.redoLabel"
        @click="doc.redo"
        ><Redo2 :size="17"
      /></Button>
      <Button
        text
        size="small"
        severity="secondary"
        aria-label="Keys"
        title="Keys and pointer (?)"
        @click="sheet = true"
        ><Keyboard :size="17"
      /></Button>
    </nav>

    <div class="left">
      <RemovalList />
      <MoverList :clip="clip" @go="(f) => player && (player.pause(), player.go(f))" />
    </div>

    <section class="centre">
      <ViewBar v-if="picture" :viewport="picture.viewport" />
      <div v-else />
      <PictureStage ref="picture" :key="shot.id" :clip="clip" :shot="shot" />
      <TransportBar v-if="picture" :player="picture.player" :shot="shot" />
    </section>

    <aside class="right">
      <NextPanel
        :shot="shot"
        :clip-frames="clip.info!.frames"
        :frame="frame"
        :width="clip.info!.width"
        @go="player?.step($event - player.wanted.value)"
        @play="playClean"
        @follow="follow"
        @export="showExports"
      />
      <ChosenPanel :shot="shot" :clip-frames="clip.info!.frames" :frame="frame" @follow="follow" />
      <TrackPanel ref="trackPanel" :frame="frame" @go="(f) => player && (player.pause(), player.go(f))" />
      <OutlinePanel :frame="frame" @go="(f) => player && (player.pause(), player.go(f))" />
      <ShapePanel :shot="shot" :picture="pictureBox(clip.info!)" :frame="frame" @follow="follow" />
      <TakeList v-if="stage.removalId" />
      <TrimPanel
        v-if="work.pickOf(stage.removalId) && doc.document.removals[stage.removalId]"
        :removal="doc.document.removals[stage.removalId]"
        :frame="frame"
        @go="(f) => player && (player.pause(), player.go(f))"
      />
      <ExportList ref="exportsPanel" />
    </aside>

    <MemoryStrip
      class="bottom"
      :shot="shot"
      :clip-frames="clip.info!.frames"
      :frame="frame"
      @go="(f) => player && (player.pause(), player.go(f))"
    />

    <ShortcutSheet v-model="sheet" />
    <ShotRange v-if="ranging" :clip="clip" :shot="shot" @close="ranging = false" @saved="doc.refresh" />
    <Toast position="bottom-left" />
    <Toast position="bottom-left" group="take">
      <template #message="{ message }">
        <span class="gap">{{ message.summary }}</span>
        <Button
          size="small"
          label="Undo"
          @click="(work.act(() => api.restoreTake(message.detail)), toast.removeGroup('take'))"
        />
      </template>
    </Toast>
  </main>
  <main v-else class="problem"><p>Opening the shot…</p></main>
</template>

<style scoped>
.bench {
  display: grid;
  grid-template:
    'bar bar bar' 40px
    'left centre right' minmax(0, 1fr)
    'bottom bottom right' clamp(200px, 27vh, 320px) / 208px minmax(0, 1fr) 292px;
  height: calc(100vh - 44px);
  background: var(--line);
  gap: 1px;
}
.bench.clean {
  display: block;
  position: fixed;
  inset: 0;
  z-index: 10;
  height: 100vh;
  background: #000000;
}
.bench.clean > :not(.centre),
.bench.clean .centre > :not(.picture) {
  display: none;
}
.bench.clean .centre {
  height: 100vh;
}
nav {
  grid-area: bar;
}
.left {
  grid-area: left;
  min-height: 0;
  overflow: auto;
  background: var(--sheet);
}
.centre {
  grid-area: centre;
  display: grid;
  grid-template-rows: 40px minmax(0, 1fr) 34px;
  min-width: 0;
}
.bench.clean .centre {
  grid-template-rows: 1fr;
}
.right {
  grid-area: right;
  overflow: auto;
  background: var(--sheet);
}
.bottom {
  grid-area: bottom;
  min-height: 0;
}
nav :deep(button) {
  padding: 5px 8px;
}
.offline {
  color: var(--bad);
}
.problem {
  display: grid;
  justify-items: center;
  gap: 16px;
  padding: 120px 24px;
  color: var(--faint);
}
</style>
