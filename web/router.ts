import { createRouter, createWebHistory } from 'vue-router'
import { STAGES } from './bench/stages.js'

/** Titles of pages until their own names are known. */
declare module 'vue-router' {
  interface RouteMeta { title: string }
}

const ID = '[0-9a-f-]{36}'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'shelf', component: () => import('./shelf/Shelf.vue'), meta: { title: 'Shelf' } },
    { path: `/jobs/:job(${ID})`, name: 'sheet', component: () => import('./sheet/ContactSheet.vue'), props: true, meta: { title: 'Contact sheet' } },
    { path: `/jobs/:job(${ID})/hand-over`, name: 'job-hand-over', component: () => import('./hand-over/JobHandOver.vue'), props: true, meta: { title: 'Hand over' } },
    { path: `/jobs/:job(${ID})/sensors/:sensor(${ID})`, name: 'sensor', component: () => import('./sensor/SensorPage.vue'), props: true, meta: { title: 'Sensor chart' } },
    { path: `/jobs/:job(${ID})/pictures/:picture(${ID})/:stage(${STAGES.map(({ id }) => id).join('|')})`, name: 'bench', component: () => import('./bench/Bench.vue'), props: true, meta: { title: 'Bench' } },
    { path: '/:rest(.*)*', name: 'missing', component: () => import('./missing/MissingPage.vue'), meta: { title: 'Nothing here' } },
  ],
})
router.afterEach((to) => setTitle(to.meta.title))

/** Title of the page, the most telling part first. */
export function setTitle(...parts: string[]): void {
  document.title = [...parts, 'Fennip'].join(' · ')
}
