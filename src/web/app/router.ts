import { createRouter, createWebHistory } from 'vue-router';
import FootageView from '../features/footage/FootageView.vue';

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'footage', component: FootageView },
    {
      path: '/shots/:id',
      name: 'shot',
      props: true,
      component: () => import('../features/workbench/WorkbenchView.vue'),
    },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
});
