<script setup lang="ts">
import { computed } from 'vue';
import { pathData } from '../../../core/shapes/shapeTable.ts';
import { boundsOf } from '../../marks/pathEdits.ts';
import type { Viewport } from '../../picture/useViewport.ts';
import { useStage } from './stageStore.ts';
import type { DrawnShape, Grip, ShapeEditing } from './useShapeEditing.ts';

const props = defineProps<{ viewport: Viewport; editing: ShapeEditing; others: DrawnShape[] }>();
const stage = useStage();

/** Sizes on the screen, px. */
const POINT = 4.5;
const HANDLE = 3.5;
const BOX_MARGIN = 14;
/** So many points are always shown. */
const FEW_POINTS = 24;

const place = computed(() => props.viewport.place.value);
const unit = computed(() => 1 / place.value.scale);
const transform = computed(
  () => `translate(${place.value.left} ${place.value.top}) scale(${place.value.scale}) translate(0.5 0.5)`,
);
const box = computed(() => {
  const shape = props.editing.selected.value;
  if (!shape || stage.tool !== 'pick') return undefined;
  const b = boundsOf(shape.points);
  const m = BOX_MARGIN * unit.value;
  return { x: b.x - m, y: b.y - m, width: b.width + 2 * m, height: b.height + 2 * m };
});
const grips = computed(() => {
  const b = box.value;
  if (!b) return [];
  return ([-1, 0, 1] as const).flatMap((x) =>
    ([-1, 0, 1] as const).flatMap((y) =>
      x === 0 && y === 0 ? [] : [{ x, y, at: { x: b.x + (b.width * (x + 1)) / 2, y: b.y + (b.height * (y + 1)) / 2 } }],
    ),
  );
});
/** Points that lie too close to be taken hold of are shown when one is nearer to the picture. */
const pointsShown = computed(() => {
  const points = props.editing.selected.value?.points ?? [];
  const way = points.reduce((sum, p, i) => {
    const q = points[(i + 1) % points.length];
    return sum + Math.hypot(p.x - q.x, p.y - q.y);
  }, 0);
  return points.length <= FEW_POINTS || (way / points.length) * place.value.scale > 2 * POINT;
});
/** Lines that hold what is dragged, from one side of the view to the other. Px of the view. */
const lines = computed(() => {
  const { x, y } = props.editing.lines.value;
  const { left, top, scale } = place.value;
  return {
    x: x === undefined ? undefined : left + (x + 0.5) * scale,
    y: y === undefined ? undefined : top + (y + 0.5) * scale,
  };
});
const unfinished = computed(() => props.editing.drawn.value);

function grab(event: PointerEvent, shapeId: string, grip: Grip): void {
  if (event.button !== 0 || stage.tool !== 'pick') return;
  event.stopPropagation();
  const svg = (event.currentTarget as Element).closest('svg')!;
  svg.setPointerCapture(event.pointerId);
  props.editing.grab(shapeId, grip, frameAt(event));
}

function frameAt(event: MouseEvent): { x: number; y: number } {
  const corner = (event.currentTarget as Element).closest('svg')!.getBoundingClientRect();
  return props.viewport.toFrame(event.clientX - corner.left, event.clientY - corner.top);
}

function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  if (stage.tool === 'pick') stage.selectShape('');
  else props.editing.press(frameAt(event));
}

function move(event: PointerEvent): void {
  props.editing.pointAt(frameAt(event));
  if ((event.buttons & 1) === 0) return;
  if (stage.tool === 'path') props.editing.bend(frameAt(event));
  else
    props.editing.dragTo(frameAt(event), {
      alt: event.altKey,
      shift: event.shiftKey,
      ctrl: event.ctrlKey || event.metaKey,
    });
}
</script>

<template>
  <svg
    class="marks"
    :class="stage.tool"
    data-testid="marks"
    @pointerdown="down"
    @pointermove="move"
    @pointerleave="editing.pointAt()"
    @pointerup="editing.drop"
    @pointercancel="editing.abandon"
  >
    <defs>
      <pattern
        id="hatch"
        width="9"
        height="9"
        patternUnits="userSpaceOnUse"
        :patternTransform="`scale(${unit}) rotate(35)`"
      >
        <line x1="0" y1="0" x2="0" y2="9" class="hatch" />
      </pattern>
      <pattern id="dots" width="9" height="9" patternUnits="userSpaceOnUse" :patternTransform="`scale(${unit})`">
        <circle cx="4.5" cy="4.5" r="1.4" class="dot" />
      </pattern>
    </defs>
    <line
      v-if="lines.x !== undefined"
      class="hold-line"
      data-testid="line-x"
      :x1="lines.x"
      :x2="lines.x"
      y1="0"
      y2="100%"
    />
    <line
      v-if="lines.y !== undefined"
      class="hold-line"
      data-testid="line-y"
      :y1="lines.y"
      :y2="lines.y"
      x1="0"
      x2="100%"
    />
    <g :transform="transform">
      <path v-for="shape in others" :key="shape.id" :d="pathData(shape.points)" class="other" />
      <g v-for="shape in editing.shapes.value" :key="shape.id">
        <path
          :d="pathData(shape.points)"
          class="outline"
          :class="[shape.operation, { selected: shape.id === stage.shapeId, off: shape.off }]"
          :data-testid="`shape-${shape.name}`"
          @pointerdown="grab($event, shape.id, { kind: 'body' })"
          @dblclick="shape.id === stage.shapeId && editing.insert(frameAt($event))"
        />
      </g>
      <template v-if="editing.selected.value && box">
        <rect v-bind="box" class="box" />
        <line class="box" :x1="box.x + box.width / 2" :x2="box.x + box.width / 2" :y1="box.y" :y2="box.y - 20 * unit" />
        <circle
          class="grip turn"
          :cx="box.x + box.width / 2"
          :cy="box.y - 24 * unit"
          :r="5 * unit"
          data-testid="turn"
          @pointerdown="grab($event, stage.shapeId, { kind: 'turn' })"
        />
        <rect
          v-for="g in grips"
          :key="`${g.x}${g.y}`"
          class="grip"
          :x="g.at.x - 4 * unit"
          :y="g.at.y - 4 * unit"
          :width="8 * unit"
          :height="8 * unit"
          :data-testid="`scale${g.x}${g.y}`"
          @pointerdown="grab($event, stage.shapeId, { kind: 'scale', x: g.x, y: g.y })"
        />
        <template v-for="(p, i) in pointsShown ? editing.selected.value.points : []" :key="i">
          <template v-if="stage.point === i">
            <template v-for="side in ['in', 'out'] as const" :key="side">
              <template v-if="p[`${side}X`] !== 0 || p[`${side}Y`] !== 0">
                <line class="lever" :x1="p.x" :y1="p.y" :x2="p.x + p[`${side}X`]" :y2="p.y + p[`${side}Y`]" />
                <circle
                  class="handle"
                  :cx="p.x + p[`${side}X`]"
                  :cy="p.y + p[`${side}Y`]"
                  :r="HANDLE * unit"
                  @pointerdown="grab($event, stage.shapeId, { kind: 'handle', index: i, side })"
                />
              </template>
            </template>
          </template>
          <circle
            class="point"
            :class="{ chosen: stage.point === i }"
            :cx="p.x"
            :cy="p.y"
            :r="POINT * unit"
            :data-testid="`point-${i}`"
            @pointerdown="grab($event, stage.shapeId, { kind: 'point', index: i })"
            @dblclick.stop="editing.toggleCorner(i)"
          />
        </template>
      </template>
      <path v-if="editing.sized.value" :d="pathData(editing.sized.value)" class="outline add selected" />
      <template v-if="unfinished.length > 0">
        <path :d="pathData(unfinished, false)" class="unfinished" />
        <circle
          v-for="(p, i) in unfinished"
          :key="i"
          class="point"
          :class="{ chosen: i === 0 && unfinished.length > 2 }"
          :cx="p.x"
          :cy="p.y"
          :r="POINT * unit"
        />
      </template>
    </g>
  </svg>
</template>

<style scoped>
.marks {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  touch-action: none;
}
.marks:not(.pick) {
  cursor: crosshair;
}
path,
line,
rect,
circle {
  vector-effect: non-scaling-stroke;
}
.hatch {
  stroke: var(--goes);
  stroke-width: 1.1;
  opacity: 0.75;
}
.outline {
  fill: url(#hatch);
  stroke: var(--goes);
  stroke-width: 1.6;
  pointer-events: all;
  paint-order: stroke;
}
.pick .outline {
  cursor: move;
}
.outline.subtract {
  fill: none;
  stroke-dasharray: 6 4;
}
.dot {
  fill: var(--held);
}
.outline.hold {
  fill: url(#dots);
  stroke: var(--held);
}
.outline.off {
  fill: none;
  stroke-dasharray: 1 5;
}
.outline.selected {
  stroke: var(--accent-bright);
  stroke-width: 2;
}
.other {
  fill: none;
  stroke: var(--goes);
  stroke-width: 1;
  stroke-dasharray: 2 4;
  pointer-events: none;
}
.unfinished {
  fill: none;
  stroke: var(--accent-bright);
  stroke-width: 1.6;
  pointer-events: none;
}
.hold-line {
  stroke: var(--accent-bright);
  stroke-width: 1;
  pointer-events: none;
}
.box {
  fill: none;
  stroke: #ffffff;
  stroke-width: 1;
  stroke-dasharray: 3 3;
  opacity: 0.8;
  pointer-events: none;
}
.grip,
.point,
.handle {
  fill: #ffffff;
  stroke: #1e1e1e;
  stroke-width: 1;
  cursor: pointer;
}
.marks:not(.pick) :is(.grip, .point, .handle, .outline) {
  pointer-events: none;
}
.point.chosen {
  fill: var(--accent-bright);
}
.lever {
  stroke: #ffffff;
  stroke-width: 1;
}
</style>
