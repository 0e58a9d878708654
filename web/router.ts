import { createRouter, createWebHistory } from 'vue-router'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'shelf', component: () => import('./shelf/Shelf.vue') },
    { path: '/jobs/:job', name: 'sheet', component: () => import('./sheet/ContactSheet.vue'), props: true },
    { path: '/jobs/:job/sensors/:sensor', name: 'sensor', component: () => import('./sensor/SensorPage.vue'), props: true },
    { path: '/jobs/:job/pictures/:picture/:stage(find|mend|hand-over)', name: 'bench', component: () => import('./bench/Bench.vue'), props: true },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})
