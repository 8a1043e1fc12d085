import '@fontsource-variable/inter/index.css';
import './app/base.css';
import { createPinia } from 'pinia';
import PrimeVue from 'primevue/config';
import ToastService from 'primevue/toastservice';
import { createApp } from 'vue';
import App from './app/App.vue';
import { router } from './app/router.ts';
import { THEME } from './app/theme.ts';

createApp(App)
  .use(createPinia())
  .use(router)
  .use(PrimeVue, { theme: { preset: THEME, options: { darkModeSelector: '.dark' } } })
  .use(ToastService)
  .mount('#app');
