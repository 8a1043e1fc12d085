<script setup lang="ts">
/** A fold inside of a panel's fold, with what can be set in numbers. */
defineProps<{ title: string }>();
</script>

<template>
  <!-- The panel styles the folds that are its own: this one is not its root. -->
  <div>
    <details>
      <summary>{{ title }}</summary>
      <slot />
    </details>
  </div>
</template>

<style scoped>
details {
  margin: 4px 0;
}
summary {
  padding: 4px 0;
  font-size: 13px;
  color: var(--faint);
  cursor: pointer;
}
</style>
