import { ref, watchEffect } from 'vue';

const KEY = 'mnestra.dark';
const stored = localStorage.getItem(KEY);
const dark = ref(stored === null ? matchMedia('(prefers-color-scheme: dark)').matches : stored === '1');

watchEffect(() => {
  document.documentElement.classList.toggle('dark', dark.value);
});

/** Dark or light: the person's choice, else the system's. */
export function useDarkMode() {
  const toggle = (): void => {
    dark.value = !dark.value;
    localStorage.setItem(KEY, dark.value ? '1' : '0');
  };
  return { dark, toggle };
}
