import { createRouter, createWebHistory } from 'vue-router'
import { useSession } from './access/session.js'
import { STAGES } from './bench/stages.js'
import { whenSignedOut } from './shared/api.js'

/** Titles of pages until their own names are known. */
declare module 'vue-router' {
  interface RouteMeta { title: string }
}

const ID = '[0-9a-f-]{36}'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/sign-in', name: 'sign-in', component: () => import('./access/SignIn.vue'), meta: { title: 'Sign in' } },
    { path: '/', name: 'shelf', component: () => import('./shelf/Shelf.vue'), meta: { title: 'Shelf' } },
    { path: `/jobs/:job(${ID})`, name: 'sheet', component: () => import('./sheet/ContactSheet.vue'), props: true, meta: { title: 'Contact sheet' } },
    { path: `/jobs/:job(${ID})/hand-over`, name: 'job-hand-over', component: () => import('./hand-over/JobHandOver.vue'), props: true, meta: { title: 'Hand over' } },
    { path: `/jobs/:job(${ID})/sensors/:sensor(${ID})`, name: 'sensor', component: () => import('./sensor/SensorPage.vue'), props: true, meta: { title: 'Sensor chart' } },
    { path: `/jobs/:job(${ID})/pictures/:picture(${ID})/:stage(${STAGES.map(({ id }) => id).join('|')})`, name: 'bench', component: () => import('./bench/Bench.vue'), props: true, meta: { title: 'Bench' } },
    { path: '/:rest(.*)*', name: 'missing', component: () => import('./missing/MissingPage.vue'), meta: { title: 'Nothing here' } },
  ],
})
// Who asks is known before the first page is shown; a server that cannot be reached is told by the page itself.
router.beforeEach(async (to) => {
  const session = useSession()
  if (!session.session) await session.load().catch(() => undefined)
  if (session.mustSignIn && to.name !== 'sign-in') return { name: 'sign-in', query: { next: to.fullPath } }
  if (to.name === 'sign-in' && session.session && !session.mustSignIn) return '/'
  return true
})
whenSignedOut(() => void useSession().load().then(() => router.push({ name: 'sign-in', query: { next: router.currentRoute.value.fullPath } }), () => undefined))
router.afterEach((to) => setTitle(to.meta.title))

/** Title of the page, the most telling part first. */
export function setTitle(...parts: string[]): void {
  document.title = [...parts, 'Fennip'].join(' · ')
}
