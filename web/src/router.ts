import { createRouter, createWebHistory } from 'vue-router';

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/today' },
    { path: '/today', component: () => import('./places/today/today-place.vue'), meta: { title: 'Today' } },
    { path: '/intake', component: () => import('./places/intake/intake-place.vue'), meta: { title: 'Intake' } },
    {
      path: '/intake/:id(\\d+)',
      component: () => import('./places/intake/batch-place.vue'),
      meta: { title: 'Intake', isPageOf: 'id' },
    },
    {
      path: '/catalogue',
      component: () => import('./places/catalogue/catalogue-place.vue'),
      meta: { title: 'Catalogue' },
    },
    {
      path: '/sound/:id(\\d+)',
      component: () => import('./places/sound/sound-place.vue'),
      meta: { title: 'Sound' },
    },
    {
      path: '/pull/:ids([\\d,]+)?',
      component: () => import('./places/pull/pull-place.vue'),
      meta: { title: 'Pull lists' },
    },
    { path: '/setup', component: () => import('./places/setup/setup-place.vue'), meta: { title: 'Setup' } },
    { path: '/:rest(.*)*', redirect: '/today' },
  ],
});

router.afterEach((to) => {
  document.title = typeof to.meta['title'] === 'string' ? `${to.meta['title']} · Flagstone` : 'Flagstone';
});
