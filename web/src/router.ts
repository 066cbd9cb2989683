import type { Role } from '@flagstone/contract/roles';
import { createRouter, createWebHistory } from 'vue-router';

declare module 'vue-router' {
  interface RouteMeta {
    title?: string;
    /** What somebody has to be, in some collection, to see the place at all. */
    needs?: Role;
  }
}

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/today' },
    {
      path: '/today',
      component: () => import('./places/today-place.vue'),
      meta: { title: 'Today', needs: 'listener' },
    },
    {
      path: '/intake',
      component: () => import('./places/intake-place.vue'),
      meta: { title: 'Intake', needs: 'assistant' },
    },
    {
      path: '/intake/:id(\\d+)',
      component: () => import('./places/batch-place.vue'),
      meta: { title: 'Intake', needs: 'assistant', isPageOf: 'id' },
    },
    {
      path: '/catalogue',
      component: () => import('./places/catalogue-place.vue'),
      meta: { title: 'Catalogue', needs: 'listener' },
    },
    {
      path: '/sound/:id(\\d+)',
      component: () => import('./places/sound-place.vue'),
      meta: { title: 'Sound', needs: 'listener' },
    },
    {
      path: '/review',
      component: () => import('./places/review-place.vue'),
      meta: { title: 'Review', needs: 'assistant' },
    },
    {
      path: '/drift',
      component: () => import('./places/drift-place.vue'),
      meta: { title: 'Drift', needs: 'assistant' },
    },
    {
      path: '/drift/sheet/:id([\\da-f-]{36})',
      component: () => import('./places/sheet-place.vue'),
      meta: { title: 'Change sheet', needs: 'librarian' },
    },
    {
      path: '/pull/:ids([\\d,]+)?',
      component: () => import('./places/pull-place.vue'),
      meta: { title: 'Pull lists', needs: 'editor' },
    },
    {
      path: '/deliveries/:id(\\d+)?',
      component: () => import('./places/deliveries-place.vue'),
      meta: { title: 'Deliveries', needs: 'editor' },
    },
    {
      path: '/setup',
      component: () => import('./places/setup-place.vue'),
      meta: { title: 'Setup', needs: 'librarian' },
    },
    { path: '/account', component: () => import('./places/account-place.vue'), meta: { title: 'Account' } },
    { path: '/join', component: () => import('./places/join-place.vue'), meta: { title: 'Welcome', isOpen: true } },
    { path: '/:rest(.*)*', redirect: '/today' },
  ],
});

router.afterEach((to) => {
  document.title = to.meta.title === undefined ? 'Flagstone' : `${to.meta.title} · Flagstone`;
});
