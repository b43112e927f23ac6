import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import type { MachineNow, MachineSaid, RunCourse } from '../api/client'
import { withTold } from '../composables/events'
import MachineRoom from './MachineRoom.vue'
import { asItWas } from '../test-page'
import { asks, untaken } from '../test-server'
import { components, createVuetify } from '../test-vuetify'

const server = vi.hoisted(() => ({ answers: {} as Record<string, unknown>, asked: [] as unknown[] }))
vi.mock('../api/client', async (original) => {
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
      return { response: { ok: true, status: 204 } }
    },
  }
  return { ...(await original<object>()), api }
})

const nothing: RunCourse['may'] = {
  check: false,
  uncheck: false,
  start: false,
  tell: [],
  see: false,
  want: [],
  fail: false,
  take_off: false,
  put_back: false,
  unsay: false,
}
const square = (x: number) => [
  [x, 0],
  [x + 10, 0],
  [x + 10, 10],
]
const run = (
  state: RunCourse['state'],
  may: Partial<RunCourse['may']> = {},
  more: Partial<RunCourse> = {},
): RunCourse => ({
  id: 7,
  job_id: 3,
  job_revision: 2,
  title: 'Cleat',
  member: 'Nia',
  machine_id: 1,
  recipe: 'everyday',
  material: 'PLA',
  colour: '#2244aa',
  state,
  movable: state === 'planned',
  seconds: 3600,
  grams: 9,
  price_cents: 120,
  late: false,
  layer: 0,
  share: 0,
  points: [
    { key: 'bed', says: 'The bed is clear' },
    { key: 'nozzle 1', says: 'PLA is loaded' },
  ],
  copies: [0, 1].map((n) => ({ n, of: 'cleat.stl', copy: n + 1, path_mm: square(20 * n) })),
  may: { ...nothing, ...may },
  ...more,
})
const machine = (more: Partial<MachineNow>): MachineNow => ({
  machine_id: 1,
  name: 'Bowline',
  does: 'busy',
  says: 'It does something',
  line: true,
  volume: { shape: 'rectangle', x_mm: 200, y_mm: 200, z_mm: 180 },
  camera: false,
  loaded: 'blue PLA',
  to_clear: [],
  idle_off: true,
  warm: [],
  nozzles: [],
  ...more,
})

let shown: VueWrapper | undefined
async function room(now: MachineNow) {
  server.answers['/machines/1'] = now
  const router = createRouter({
    history: createMemoryHistory(),
    routes: ['/floor', '/bench/:id']
      .map((path) => ({ path, component: { template: '<i />' } }))
      .concat([{ path: '/machine/:id', component: { template: '<i />' } }]),
  })
  await router.push('/machine/1')
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } })
  shown = mount(MachineRoom, {
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

describe('a machine', () => {
  it('is started when each point of the checklist was said yes to, and by no key before', async () => {
    const w = await room(machine({ next: run('planned', { check: true }) }))
    await press('s')
    await press('x')
    await press('s')
    expect(server.asked).toEqual([])
    expect(w.find('#ready').attributes('disabled')).toBeDefined()
    await press('x')
    await press('s')
    expect(server.asked).toEqual([['/runs/7/check', { points: ['bed', 'nozzle 1'] }]])
    w.unmount()
    server.asked = []
    const ready = await room(machine({ next: run('ready', { start: true, uncheck: true }, { checked_by: 'Cato' }) }))
    expect(ready.text()).toContain('Cato has gone through the checklist')
    await press('s')
    expect(server.asked).toEqual([['/runs/7/start', undefined]])
  })
  it('says why nothing can be started, and leads through other filament step by step', async () => {
    const w = await room(machine({ next: run('planned', { why: 'The bed is not clear.' }) }))
    expect(w.text()).toContain('The bed is not clear.')
    w.unmount()
    const loading = { was: 'black PETG', is: 'PLA', hot_c: 240, then_c: 210, care: ['Wear gloves.'], material: 'PLA' }
    const l = await room(machine({ next: run('planned'), loading }))
    expect(l.text()).toContain('240 °C')
    expect(l.text()).toContain('Wear gloves.')
    const boxes = () => l.findAll<HTMLInputElement>('.steps input')
    expect(boxes().map((b) => b.element.disabled)).toEqual([false, true, true, true])
    for (let k = 0; k < 4; k++) await boxes()[k]!.setValue(true)
    expect(l.find('#loaded').attributes('disabled')).toBeDefined()
    await l.find('.do .v-text-field input').setValue('Harbour blue')
    await l.find('#loaded').trigger('click')
    await flushPromises()
    expect(server.asked).toEqual([
      ['/machines/1/loaded', { nozzle: 1, material: 'PLA', colour: '#2244aa', colour_name: 'Harbour blue' }],
    ])
  })
  it('says what spool is in a nozzle, that it is not enough, and takes another', async () => {
    const other = (id: number, left_grams: number, state: 'open' | 'sealed') => ({
      id,
      says: 'Tar PLA',
      colour: '#111111',
      state,
      place: 'rack',
      left_grams,
    })
    const nozzle = {
      nozzle: 1,
      material: 'PLA',
      takes_grams: 90,
      in: { id: 3, says: 'Blue PLA', colour: '#2244aa', state: 'loaded' as const, left_grams: 40 },
      short: true,
      others: [other(8, 300, 'open'), other(5, 20, 'open')],
      change: true,
    }
    const w = await room(machine({ next: run('planned', { check: true }), nozzles: [nozzle] }))
    expect(w.find('.nozzles').text().replace(/\s+/g, ' ')).toContain('no. 3, 40.0 g on it. It takes 90.0 g of PLA.')
    expect(w.find('.nozzles .short').text()).toContain('not enough')
    expect(w.findAll('.nozzles option').map((o) => o.text().includes('(not enough)'))).toEqual([false, true])
    await w.find('.other').trigger('submit')
    await w.find('.nozzles select').setValue('5')
    await w.find('.other').trigger('submit')
    await flushPromises()
    expect(server.asked.map((a) => (a as [string, { spool_id: number }])[1].spool_id)).toEqual([8, 5])
    w.unmount()
    const busy = await room(machine({ run: run('printing'), nozzles: [{ ...nozzle, change: false }] }))
    expect(busy.find('.nozzles .other').exists(), 'not in the middle of it').toBe(false)
  })
  it('has its first layers seen, pauses, goes on, and is stopped for a reason', async () => {
    await room(
      machine({ run: run('first layers', { see: true, want: ['pause', 'stop'] }, { see_within_seconds: 600 }) }),
    )
    await press('g')
    await press('p')
    await press('f')
    expect(server.asked).toEqual([
      ['/runs/7/seen', undefined],
      ['/runs/7/want', { what: 'pause', reason: undefined }],
    ])
    await shown!.find('.failure input').setValue('It smells.')
    await shown!.find('.failure').trigger('submit')
    await flushPromises()
    expect(server.asked[2]).toEqual(['/runs/7/want', { what: 'stop', reason: 'It smells.' }])
    shown!.unmount()
    server.asked = []
    await room(
      machine({ run: run('paused', { want: ['go on', 'stop'] }, { why: 'the machine waits for somebody: paused' }) }),
    )
    await press('p')
    expect(server.asked).toEqual([['/runs/7/want', { what: 'go on', reason: undefined }]])
  })
  it('takes what is bad for a reason only, and all good by a key', async () => {
    const w = await room(machine({ run: run('cooling', { take_off: true }) }))
    await w.findAll('.copy')[1]!.trigger('click')
    await press('o')
    expect(server.asked).toEqual([])
    await w.find('.do .v-text-field input').setValue('Its corner came up.')
    await w.find('#off').trigger('click')
    await flushPromises()
    expect(server.asked).toEqual([['/runs/7/off', { bad: [1], reason: 'Its corner came up.' }]])
    await w.findAll('.copy')[1]!.trigger('click') // good after all
    await press('o')
    expect(server.asked[1]).toEqual(['/runs/7/off', { bad: [], reason: 'Its corner came up.' }])
  })
  it('is warmed ahead, and turned off', async () => {
    const w = await room(machine({ warm: ['what comes next', 'nothing'] }))
    for (const b of w.findAll('.warm')) {
      await b.trigger('click')
      await flushPromises()
    }
    expect(server.asked).toEqual([
      ['/machines/1/warm', { for: 'what comes next' }],
      ['/machines/1/warm', { for: 'nothing' }],
    ])
  })
  it('without a line is told what it does, and whose bed is to be cleared says so', async () => {
    const w = await room(
      machine({
        line: false,
        run: run('printing', { tell: ['it pauses', 'it comes to its end'], fail: true, unsay: true }),
      }),
    )
    expect(w.findAll('.tell').map((b) => b.text())).toEqual(['It waits', 'It has come to its end'])
    await w.findAll('.tell')[1]!.trigger('click')
    await flushPromises()
    await w.find('#unsay').trigger('click')
    await flushPromises()
    w.unmount()
    await room(
      machine({ does: 'to be cleared', to_clear: ['Cleat'], last: run('off the machine', { put_back: true }) }),
    )
    await press('k')
    expect(server.asked).toEqual([
      ['/runs/7/tell', { what: 'it comes to its end' }],
      ['/runs/7/unsay', undefined],
      ['/machines/1/cleared', undefined],
    ])
    expect(shown!.text()).toContain('It is still on it')
  })
})

describe('what a machine tells', () => {
  const said = (s: number, ...c: number[]): MachineSaid => ({
    link: 'heard',
    at: new Date(1e12 + 1000 * s).toISOString(),
    heats: c.map((x, k) => ({ of: k ? 'bed' : 'nozzle 1', c: x, to: 0 })),
  })
  it('makes its curve longer, a point every few seconds, and begins anew with other heaters', () => {
    let m = withTold(machine({}), said(0, 20, 21))
    expect(m.curve).toMatchObject({ of: ['nozzle 1', 'bed'], c: [[20, 21]] })
    m = withTold(m, said(2, 30, 22))
    expect(m.curve!.c).toHaveLength(1)
    expect(m.said!.heats[0]!.c).toBe(30)
    m = withTold(m, said(5, 40, 23))
    expect(m.curve!.c).toEqual([
      [20, 21],
      [40, 23],
    ])
    for (let k = 2; k < 500; k++) m = withTold(m, said(5 * k, k, k))
    expect(m.curve!.at).toHaveLength(360)
    expect(withTold(m, said(9_000, 25)).curve!.c).toEqual([[25]])
    expect(withTold(m, { ...said(9_000), link: 'away' }).curve).toBe(m.curve)
  })
})
