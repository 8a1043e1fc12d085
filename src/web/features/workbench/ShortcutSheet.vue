<script setup lang="ts">
import { group } from 'd3';
import Dialog from 'primevue/dialog';
import { SHORTCUTS, type Shortcut } from './shortcuts.ts';

const visible = defineModel<boolean>({ required: true });
const groups = [...group(Object.values(SHORTCUTS) as Shortcut[], (s) => s.group)];
const POINTER = [
  ['Wheel', 'nearer and farther, on the picture and on the memory strip'],
  ['Middle button', 'move the picture'],
  ['Double click on an outline', 'insert a point; on a point: round or sharp'],
  ['Shift while dragging', 'even sides, straight moves, steps of 15°'],
  ['Ctrl on a corner', 'pulls that corner alone: as seen from another side'],
  ['Ctrl while shapes are dragged', 'nothing holds them: not the picture, not the sides and middles of other shapes'],
  ['Shift on the strip', 'chooses: frames on the ruler, keys below'],
  ['Ctrl while keys are dragged', 'nothing holds them: not this frame, not in and out, not other keys'],
  ['Pointing, with A', 'click, scribble, or drag a box; with Alt or Ctrl takes away'],
  ['Alt while dragging', 'from the centre; a handle alone; a copy of a key'],
];
</script>

<template>
  <Dialog v-model:visible="visible" modal dismissable-mask header="Keys and pointer" :style="{ width: '860px' }">
    <div class="sheet">
      <section v-for="[name, list] in groups" :key="name">
        <h3>{{ name }}</h3>
        <dl>
          <template v-for="s in list" :key="s.shown">
            <dt>{{ s.shown }}</dt>
            <dd>{{ s.what }}</dd>
          </template>
        </dl>
      </section>
      <section>
        <h3>Pointer</h3>
        <dl class="wide">
          <template v-for="[how, what] in POINTER" :key="how">
            <dt>{{ how }}</dt>
            <dd>{{ what }}</dd>
          </template>
        </dl>
      </section>
    </div>
  </Dialog>
</template>

<style scoped>
.sheet {
  columns: 2;
  column-gap: 32px;
}
section {
  break-inside: avoid;
  margin-bottom: 14px;
}
h3 {
  margin: 0 0 4px;
  font-size: 13.5px;
}
dl {
  display: grid;
  grid-template-columns: 96px 1fr;
  gap: 3px 10px;
  margin: 0;
  font-size: 13.5px;
}
dl.wide {
  grid-template-columns: 150px 1fr;
}
dt {
  color: var(--faint);
}
dd {
  margin: 0;
}
</style>
