<script setup lang="ts">
import { ArrowDown, ArrowUp, Eye, EyeOff, FileInput, GripVertical, Plus, Trash2 } from '@lucide/vue';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { computed, nextTick, ref } from 'vue';
import { ranked } from '../../../contract/document.ts';
import { useDocument } from '../../document/documentStore.ts';
import { addRemoval, moveRemoval } from '../../document/edits.ts';
import { bringIn, type BroughtIn } from '../../document/importEdits.ts';
import { useUploads } from '../footage/useUploads.ts';
import { standing } from './advice.ts';
import ComingList from './ComingList.vue';
import { useMattes } from './mattesStore.ts';
import { useReorder } from './useReorder.ts';
import { useReveal } from './revealStore.ts';
import { useStage } from './stageStore.ts';
import { useWork } from './workStore.ts';

const doc = useDocument();
const stage = useStage();
const work = useWork();
const reveals = useReveal();

const uploads = useUploads();
const mattes = useMattes();
const coming = computed(() => uploads.itemsFor(doc.shotId));

const removals = computed(() => ranked(doc.document.removals));
const renaming = ref('');
const draftName = ref('');

function add(): void {
  let id = '';
  doc.edit('Add a thing', (draft) => {
    id = addRemoval(draft);
  });
  stage.selectRemoval(id);
}

const chooser = ref<HTMLInputElement>();

/** What is sent to be read: the rest are tracks and shapes, which are text. */
const isMatte = (name: string): boolean => /\.(zip|mkv|mov|mp4|webm|avi)$/i.test(name);

/** Brings a matte, a track or shapes in from a file; what is wrong with it is said in a sentence. */
async function bring(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  if (!file) return;
  // The same file may be chosen again.
  input.value = '';
  if (isMatte(file.name)) return uploads.add([file], { shot: doc.shotId });
  const text = await file.text();
  const found = await work.act(() => {
    let brought: BroughtIn | undefined;
    doc.edit(`Bring in “${file.name.slice(0, 80)}”`, (draft) => {
      brought = bringIn(draft, text, file.name);
    });
    return Promise.resolve(brought);
  });
  if (found?.kind === 'shapes') stage.selectRemoval(found.removalId);
  if (found?.kind === 'track') {
    stage.selectShape('');
    stage.trackId = found.trackId;
  }
}

/** Gives a removal another place in the order. */
function move(from: number, to: number): void {
  const ids = removals.value.map(([id]) => id);
  const [id] = ids.splice(from, 1);
  doc.edit('Change the order', (draft) => moveRemoval(draft, id, ids[to]));
}

const list = ref<HTMLElement>();
useReorder(list, move);

function toggle(id: string): void {
  doc.edit('Show or hide a thing', (draft) => {
    draft.removals[id].hidden = !draft.removals[id].hidden;
  });
}

function remove(id: string): void {
  doc.edit(`Delete “${doc.document.removals[id].name}”`, (draft) => {
    delete draft.removals[id];
  });
  if (stage.removalId === id) stage.selectRemoval(removals.value[0]?.[0] ?? '');
}

async function rename(id: string, event: MouseEvent): Promise<void> {
  renaming.value = id;
  draftName.value = doc.document.removals[id].name;
  const row = (event.currentTarget as Element).closest('li')!;
  await nextTick();
  row.querySelector('input')?.select();
}

function finishRename(id: string): void {
  const name = draftName.value.trim();
  renaming.value = '';
  if (name === '') return;
  doc.edit('Rename a thing', (draft) => {
    draft.removals[id].name = name.slice(0, 200);
  });
}
</script>

<template>
  <section class="list">
    <header>
      <h2>What goes away</h2>
      <input
        ref="chooser"
        type="file"
        accept=".json,.csv,.svg,.zip,.mkv,.mov,.mp4,.webm,.avi"
        hidden
        data-testid="bring-in"
        @change="bring"
      />
      <Button
        text
        rounded
        size="small"
        severity="secondary"
        aria-label="Bring in a file"
        title="Bring in shapes (SVG, JSON), a track (CSV, JSON) or a matte (grey video, or a zip of PNG) from a file"
        @click="chooser?.click()"
        ><FileInput :size="16"
      /></Button>
      <Button text rounded size="small" aria-label="Add a thing" title="Add a thing" @click="add"
        ><Plus :size="18"
      /></Button>
    </header>
    <ol ref="list" aria-label="What goes away">
      <li
        v-for="([id, removal], i) in removals"
        :key="id"
        class="movable"
        :class="{ selected: id === stage.removalId, hidden: removal.hidden }"
        @click="stage.selectRemoval(id)"
      >
        <InputText
          v-if="renaming === id"
          v-model="draftName"
          size="small"
          fluid
          aria-label="Name"
          @keydown.enter="finishRename(id)"
          @keydown.esc="renaming = ''"
          @blur="renaming === id && finishRename(id)"
          @click.stop
        />
        <div v-else class="name">
          <h3 @dblclick="rename(id, $event)">{{ removal.name }}</h3>
          <span v-if="removals.length > 1" class="grip" title="Drag: a later one sees the result of those above it"
            ><GripVertical :size="15"
          /></span>
        </div>
        <p>{{ removal.hidden ? 'left alone for now' : standing(removal, reveals.data[id], work.takesOf(id)) }}</p>
        <div v-if="id === stage.removalId" class="tools">
          <Button
            text
            size="small"
            aria-label="Earlier"
            title="Earlier"
            :disabled="i === 0"
            @click.stop="move(i, i - 1)"
            ><ArrowUp :size="15"
          /></Button>
          <Button
            text
            size="small"
            aria-label="Later"
            title="Later: sees the result of those above"
            :disabled="i === removals.length - 1"
            @click.stop="move(i, i + 1)"
            ><ArrowDown :size="15"
          /></Button>
          <Button
            text
            size="small"
            :aria-label="removal.hidden ? 'Take it away again' : 'Leave it alone'"
            :title="removal.hidden ? 'Take it away again' : 'Leave it alone'"
            @click.stop="toggle(id)"
            ><EyeOff v-if="removal.hidden" :size="15" /><Eye v-else :size="15"
          /></Button>
          <span class="gap" />
          <Button text size="small" aria-label="Delete" title="Delete" @click.stop="remove(id)"
            ><Trash2 :size="15"
          /></Button>
        </div>
      </li>
    </ol>
    <ComingList
      class="coming"
      label="Mattes that come in"
      :coming="coming"
      :making="mattes.reading"
      @dismiss="(id) => work.act(() => mattes.dismiss(id))"
    />
    <p v-if="removals.length === 0" class="empty">Nothing yet. Add the first thing, or just draw on the picture.</p>
  </section>
</template>

<style scoped>
.list {
  display: flex;
  flex-direction: column;
  min-height: 0;
  overflow: auto;
  background: var(--sheet);
}
header {
  display: flex;
  align-items: center;
  padding: 6px 4px 6px 14px;
}
h2 {
  flex: 1;
  white-space: nowrap;
  font-size: 14px;
  font-weight: 650;
}
ol,
.coming {
  margin: 0;
  padding: 0 8px 8px;
  list-style: none;
}
li {
  margin-bottom: 4px;
  padding: 8px 10px;
  border: 1px solid transparent;
  border-left: 4px solid color-mix(in srgb, var(--goes) 55%, transparent);
  border-radius: 5px;
  cursor: pointer;
}
li.selected {
  border-color: var(--accent);
  border-left-color: var(--goes-strong);
  background: var(--ground);
}
li.hidden h3 {
  text-decoration: line-through;
  opacity: 0.6;
}
.name {
  display: flex;
  align-items: flex-start;
}
h3 {
  flex: 1;
  margin: 0;
  font-size: 14px;
  font-weight: 600;
  overflow-wrap: anywhere;
}
p {
  font-size: 12.5px;
  color: var(--faint);
}
.tools {
  display: flex;
  margin: 4px -6px -4px;
}
.tools :deep(button) {
  padding: 4px 7px;
}
.gap {
  flex: 1;
}
li.in-hand {
  opacity: 0.45;
}
.empty {
  margin: 0;
  padding: 0 14px 12px;
}
</style>
