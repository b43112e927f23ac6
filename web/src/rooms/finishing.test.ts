import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import type { PartView } from '../api/client'
import FinishingRoom from './FinishingRoom.vue'
import { asItWas } from '../test-page'
import { asks, untaken } from '../test-server'
import { components, createVuetify } from '../test-vuetify'

const server = vi.hoisted(() => ({ answers: {} as Record<string, unknown>, asked: [] as unknown[], refuse: '' }))
vi.mock('../api/client', async (original) => {
  const real = await original<typeof import('../api/client')>()
  const path = (p: string, o?: { params?: { path?: Record<string, unknown> } }) =>
    p.replace(/\{(\w+)\}/g, (_, k: string) => String(o?.params?.path?.[k]))
  const api = {
    GET: async (p: string, o?: object) => ({
      data: server.answers[path(p, o)],
      response: { ok: path(p, o) in server.answers, status: 200 },
      error: {},
    }),
    POST: async (p: string, o?: { body?: unknown }) => {
      asks('POST', p, o?.body)
      server.asked.push([path(p, o as object), o?.body])
      if (server.refuse) return { error: { detail: server.refuse }, response: { ok: false, status: 422 } }
      return { data: { title: 'Latch', member: 'Nia', cents: 90 }, response: { ok: true, status: 200 } }
    },
  }
  return { ...real, api }
})

type Step = PartView['steps'][number]
const step = (id: number, kind: Step['kind'], more: Partial<Step> = {}): Step => ({
  id,
  kind,
  hands_min: 4,
  wait_min: 0,
  state: 'to do',
  may: [],
  others: [],
  ...more,
})
const part = (job_id: number, state: PartView['state'], steps: Step[], more: Partial<PartView> = {}): PartView => ({
  job_id,
  title: `Part ${job_id}`,
  member: 'Nia',
  state,
  steps,
  cents: 120,
  revision: 6,
  ...more,
})

let shown: VueWrapper | undefined
async function room(parts: PartView[]) {
  server.answers['/finishing'] = parts
  server.answers['/house'] = { house: { locale: 'en-GB', currency: 'EUR', time_zone: 'UTC' } }
  const router = createRouter({
    history: createMemoryHistory(),
    routes: ['/', '/shelf', '/bench/:id'].map((path) => ({ path, component: { template: '<i />' } })),
  })
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } })
  shown = mount(FinishingRoom, {
    attachTo: document.body,
    global: { plugins: [createVuetify({ components }), [VueQueryPlugin, { queryClient }], router] as never },
  })
  await flushPromises()
  asItWas()
  return shown
}
const press = async (key: string) => {
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
  await flushPromises()
  asItWas()
}
beforeEach(() => {
  vi.useFakeTimers({ toFake: ['Date'], now: new Date('2026-11-28T11:00:00Z') })
  server.asked = []
  server.answers = {}
  server.refuse = ''
})
afterEach(() => {
  try {
    if (document.body.innerHTML) asItWas()
  } finally {
    shown?.unmount()
    vi.useRealTimers()
  }
  document.body.innerHTML = ''
  expect(untaken.splice(0), 'what the server would refuse by its form').toEqual([])
})

describe('finishing', () => {
  it('begins what takes its time, alone or in one bath, and ends all that lie in it', async () => {
    const soak = (id: number, others: number[]) => step(id, 'soak', { wait_min: 90, may: ['begins', 'ends'], others })
    const w = await room([part(1, 'finishing', [soak(11, [21, 31]), step(12, 'sand')])])
    expect(w.text()).toContain('in one bath with 2 more')
    await press('x')
    await w.find('li input[type=checkbox]').setValue(true)
    await w.find('.begins').trigger('click')
    await flushPromises()
    expect(server.asked).toEqual([
      ['/steps', { steps: [11], what: 'begins' }],
      ['/steps', { steps: [11, 21, 31], what: 'begins' }],
    ])
    w.unmount()
    server.asked = []
    const under = (id: number) =>
      step(id, 'soak', {
        state: 'under way',
        wait_min: 90,
        bath: 11,
        ends: '2026-11-28T12:00:00Z',
        may: ['ends', 'was not done'],
      })
    const u = await room([part(1, 'finishing', [under(11)]), part(2, 'finishing', [under(21)])])
    expect(u.text()).toContain('2 in this bath')
    await u.find('.ends').trigger('click')
    await flushPromises()
    expect(server.asked).toEqual([['/steps', { steps: [11, 21], what: 'ends', place: undefined }]])
  })
  it('asks where parts lie with the last step alone, and takes back what was said by mistake', async () => {
    const done = step(11, 'wash', { state: 'done', may: ['was not done'] })
    const w = await room([part(1, 'finishing', [done, step(12, 'sand', { may: ['ends'] })])])
    expect(w.findAll('.part .place')).toHaveLength(1)
    await w.find('.part .place').setValue('bin 7')
    await press('x')
    await w.find('.undo').trigger('click')
    await flushPromises()
    expect(server.asked).toEqual([
      ['/steps', { steps: [12], what: 'ends', place: 'bin 7' }],
      ['/steps', { steps: [11], what: 'was not done' }],
    ])
    w.unmount()
    const none = await room([part(3, 'finishing', [])])
    expect(none.find('.none').text()).toContain('No step')
    await none.find('.none .place').setValue('bin 2')
    await none.find('.ready').trigger('click')
    await flushPromises()
    expect(server.asked[2]).toEqual(['/jobs/3/advance', { revision: 6, place: 'bin 2' }])
  })
  it('hands over to who brings a code, and says which code is none', async () => {
    const w = await room([
      part(4, 'pick-up', [], {
        place: 'bin 2',
        code: 'K7WX2M',
        ready: '2026-11-20T10:00:00Z',
        said: '2026-11-27T10:00:00Z',
      }),
    ])
    expect(w.find('.label').attributes('href')).toBe('/api/jobs/4/label')
    expect(w.text()).toContain('told again')
    await w.find('.ledger .place').setValue('bin 3')
    server.refuse = 'No job waits to be fetched by this code.'
    await press('c')
    expect(document.activeElement?.closest('.code')).toBeTruthy()
    await w.find('.code input').setValue('wrong')
    await w.find('.code').trigger('submit')
    await flushPromises()
    expect(w.find('.wrong').text()).toContain('No job waits')
    server.refuse = ''
    await w.find('.code input').setValue('k7w x2m')
    await w.find('.code').trigger('submit')
    await flushPromises()
    expect(w.find('.wrong').exists()).toBe(false)
    expect((w.find('.code input').element as HTMLInputElement).value).toBe('')
    expect(server.asked).toEqual([
      ['/jobs/4/place', { place: 'bin 3' }],
      ['/fetched', { code: 'wrong' }],
      ['/fetched', { code: 'k7w x2m' }],
    ])
  })
})
