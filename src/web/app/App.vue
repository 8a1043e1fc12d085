<script setup lang="ts">
import { Moon, Sun } from '@lucide/vue';
import Button from 'primevue/button';
import { RouterView } from 'vue-router';
import { useConnection } from '../api/events.ts';
import { useDarkMode } from './useDarkMode.ts';

const { dark, toggle } = useDarkMode();
const { connected } = useConnection();
</script>

<template>
  <header>
    <h1>Mnestra</h1>
    <p class="away" role="status">
      <template v-if="!connected">The server cannot be reached. Trying again…</template>
    </p>
    <Button text severity="secondary" :aria-label="dark ? 'Light theme' : 'Dark theme'" @click="toggle">
      <Sun v-if="dark" :size="18" />
      <Moon v-else :size="18" />
    </Button>
  </header>
  <RouterView />
</template>

<style scoped>
header {
  display: flex;
  align-items: center;
  gap: 16px;
  height: 44px;
  padding: 0 16px 0 24px;
  border-bottom: 1px solid var(--line);
  background: var(--sheet);
}
h1 {
  font-size: 17px;
  font-weight: 650;
}
.away {
  flex: 1;
  color: var(--bad);
}
</style>
