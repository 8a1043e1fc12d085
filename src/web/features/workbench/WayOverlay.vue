<script setup lang="ts">
import { line } from 'd3';
import { computed } from 'vue';
import { toShape, type ShapeNode } from '../../../contract/document.ts';
import type { ShotView } from '../../../contract/shots.ts';
import { pathAt } from '../../../core/shapes/interpolate.ts';
import { pathData } from '../../../core/shapes/shapeTable.ts';
import { useDocument } from '../../document/documentStore.ts';
import { keyFrames } from '../../document/edits.ts';
import { middleOfPath, type Place } from '../../marks/pathEdits.ts';
import type { Viewport } from '../../picture/useViewport.ts';
import { useStage } from './stageStore.ts';
import { useTracks } from './tracksStore.ts';

/** Over time: the chosen shape's outlines at the keys before and after, and the way that its middle goes. */
const props = defineProps<{ viewport: Viewport; shot: ShotView; frame: number }>();
const doc = useDocument();
const stage = useStage();
const tracks = useTracks();

/** Radius of the mark of a key, px of the screen. */
const DOT = 3;

const node = computed(() => doc.document.removals[stage.removalId]?.shapes[stage.shapeId] as ShapeNode | undefined);
const shape = computed(
  () => node.value && { ...toShape(stage.shapeId, node.value, 0, tracks.tracks), visible: undefined },
);
const keys = computed(() => (node.value ? keyFrames(node.value) : []));
const neighbours = computed(() => {
  const before = keys.value.findLast((f) => f < props.frame);
  const after = keys.value.find((f) => f > props.frame);
  return [
    { side: 'before', frame: before },
    { side: 'after', frame: after },
  ].flatMap(({ side, frame }) =>
    frame === undefined ? [] : [{ side, frame, path: pathData(pathAt(shape.value!, frame)!) }],
  );
});
/** Where the middle is, frame by frame: where the shape counts, over the shot or, of a shape that does not ride, its keys. */
const way = computed(() => {
  if (!shape.value || !node.value || keys.value.length === 0) return [];
  const span = node.value.rides ? [props.shot.first, props.shot.last] : [keys.value[0], keys.value.at(-1)!];
  const { from = span[0], to = span[1] } = node.value.visible ?? {};
  const [a, b] = [Math.max(from, span[0]), Math.min(to, span[1])];
  return Array.from({ length: Math.max(0, b - a + 1) }, (_, i) => ({
    frame: a + i,
    at: middleOfPath(pathAt(shape.value!, a + i)!),
  }));
});
const wayPath = computed(
  () =>
    line<{ at: Place }>(
      (p) => p.at.x,
      (p) => p.at.y,
    )(way.value) ?? '',
);
const marked = computed(() => way.value.filter(({ frame }) => frame === props.frame || keys.value.includes(frame)));

const place = computed(() => props.viewport.place.value);
const transform = computed(
  () => `translate(${place.value.left} ${place.value.top}) scale(${place.value.scale}) translate(0.5 0.5)`,
);
</script>

<template>
  <svg v-if="shape" class="way" data-testid="way">
    <g :transform="transform">
      <path v-for="n in neighbours" :key="n.side" :d="n.path" class="neighbour" :class="n.side">
        <title>Key at frame {{ n.frame }}</title>
      </path>
      <path :d="wayPath" class="line under" />
      <path :d="wayPath" class="line" />
      <circle
        v-for="{ frame: f, at } in marked"
        :key="f"
        class="dot"
        :class="{ here: f === frame }"
        :cx="at.x"
        :cy="at.y"
        :r="(f === frame ? DOT * 1.6 : DOT) / place.scale"
      />
    </g>
  </svg>
</template>

<style scoped>
.way {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
path,
circle {
  fill: none;
  vector-effect: non-scaling-stroke;
}
.neighbour {
  stroke: #ffffff;
  stroke-width: 1.2;
  opacity: 0.8;
}
.before {
  stroke-dasharray: 8 3;
}
.after {
  stroke-dasharray: 2 3;
}
.line {
  stroke: var(--accent-bright);
  stroke-width: 1.4;
}
.line.under {
  stroke: #1e1e1e;
  stroke-width: 3;
  opacity: 0.5;
}
.dot {
  fill: var(--accent-bright);
  stroke: #1e1e1e;
  stroke-width: 1;
}
.dot.here {
  fill: #ffffff;
}
</style>
