import { createRouter, createWebHistory } from 'vue-router'
import { mayLeave } from './composables/unsaved'

/** The rooms, in the order of the day; the number is their key. */
export const rooms = [
  { path: '/shelf', name: 'Shelf', key: '1' },
  { path: '/counter', name: 'Counter', key: '2' },
  { path: '/bench', name: 'Bench', key: '3' },
  { path: '/floor', name: 'Floor', key: '4' },
  { path: '/stores', name: 'Stores', key: '5' },
  { path: '/house', name: 'House', key: '6' },
] as const

/** Those that somebody may enter. */
export const roomsOf = (role: string) =>
  role === 'member' ? rooms.filter((r) => r.path === '/shelf' || r.path === '/bench') : rooms

export function makeRouter() {
  const router = createRouter({
    history: createWebHistory(),
    routes: [
      { path: '/', redirect: '/shelf' },
      { path: '/shelf/finishing', component: () => import('./rooms/FinishingRoom.vue') },
      { path: '/shelf', component: () => import('./rooms/ShelfRoom.vue') },
      { path: '/job/:id(\\d+)', component: () => import('./rooms/JobRoom.vue') },
      { path: '/counter/:id(\\d+)?', component: () => import('./rooms/CounterRoom.vue') },
      { path: '/bench/:id(\\d+)?', component: () => import('./rooms/BenchRoom.vue') },
      { path: '/floor', component: () => import('./rooms/FloorRoom.vue') },
      { path: '/machine/:id(\\d+)', component: () => import('./rooms/MachineRoom.vue') },
      { path: '/stores', component: () => import('./rooms/StoresRoom.vue') },
      { path: '/house', component: () => import('./rooms/HouseRoom.vue') },
      { path: '/:rest(.*)', redirect: '/shelf' },
    ],
  })
  // From job to job within a room nothing is left: drafts there are kept by job.
  router.beforeEach(async (to, from) => to.matched[0] === from.matched[0] || (await mayLeave()))
  return router
}
