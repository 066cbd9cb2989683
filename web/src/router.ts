import { createRouter, createWebHistory } from 'vue-router';

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/today' },
    { path: '/today', component: () => import('./places/today-place.vue'), meta: { title: 'Today' } },
    { path: '/intake', component: () => import('./places/intake-place.vue'), meta: { title: 'Intake' } },
    {
      path: '/intake/:id(\\d+)',
      component: () => import('./places/batch-place.vue'),
      meta: { title: 'Intake', isPageOf: 'id' },
    },
    {
      path: '/catalogue',
      component: () => import('./places/catalogue-place.vue'),
      meta: { title: 'Catalogue' },
    },
    {
      path: '/sound/:id(\\d+)',
      component: () => import('./places/sound-place.vue'),
      meta: { title: 'Sound' },
    },
    {
      path: '/pull/:ids([\\d,]+)?',
      component: () => import('./places/pull-place.vue'),
      meta: { title: 'Pull lists' },
    },
    { path: '/setup', component: () => import('./places/setup-place.vue'), meta: { title: 'Setup' } },
    { path: '/account', component: () => import('./places/account-place.vue'), meta: { title: 'Account' } },
    { path: '/join', component: () => import('./places/join-place.vue'), meta: { title: 'Welcome', isOpen: true } },
    { path: '/:rest(.*)*', redirect: '/today' },
  ],
});

router.afterEach((to) => {
  document.title = typeof to.meta['title'] === 'string' ? `${to.meta['title']} · Flagstone` : 'Flagstone';
});
