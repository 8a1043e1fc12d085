<template>
  <defs>
    <pattern id="handle-hatch" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
      <line x1="0" y1="0" x2="0" y2="6" class="handle-line" />
    </pattern>
    <pattern id="unseen-dots" width="5" height="5" patternUnits="userSpaceOnUse">
      <rect width="5" height="5" class="unseen-ground" />
      <circle cx="1.5" cy="1.5" r="1" class="unseen-dot" />
    </pattern>
    <pattern id="lost-bars" width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)">
      <line x1="1" y1="0" x2="1" y2="4" class="lost-bar" />
    </pattern>
    <pattern id="thin-lines" width="4" height="4" patternUnits="userSpaceOnUse">
      <rect width="4" height="4" class="thin-ground" />
      <line x1="0" y1="1" x2="4" y2="1" class="thin-line" />
    </pattern>
  </defs>
</template>

<style scoped>
.handle-line {
  stroke: var(--line);
  stroke-width: 2;
}
.thin-ground {
  fill: var(--thin);
}
.thin-line {
  stroke: var(--seen);
  stroke-width: 1.4;
}
.unseen-ground {
  fill: var(--unseen);
}
.unseen-dot {
  fill: var(--sheet);
}
.lost-bar {
  stroke: var(--faint);
  stroke-width: 1.6;
}
</style>
