import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import type { SpoolView, StoresView, WearView } from '../api/client'
import StoresRoom from './StoresRoom.vue'
import { asItWas } from '../test-page'
import { asks, untaken } from '../test-server'
import { components, createVuetify } from '../test-vuetify'

const server = vi.hoisted(() => ({ answers: {} as Record<string, unknown>, asked: [] as unknown[] }))
vi.mock('../api/client', async (original) => {
  const path = (p: string, o?: { params?: { path?: Record<string, unknown> } }) =>
    p.replace(/\{(\w+)\}/g, (_, k: string) => String(o?.params?.path?.[k]))
  const said = (method: string) => async (p: string, o?: { body?: unknown }) => {
    asks(method, p, o?.body)
    server.asked.push([path(p, o as object), o?.body])
    return { data: [9], response: { ok: true, status: 200 } }
  }
  const api = {
    GET: async (p: string, o?: object) => ({
      data: server.answers[path(p, o)],
      response: { ok: path(p, o) in server.answers, status: 200 },
      error: {},
    }),
    POST: said('POST'),
    PUT: said('PUT'),
  }
  return { ...(await original<object>()), api }
})

const spool = (id: number, more: Partial<SpoolView> = {}): SpoolView => ({
  id,
  material_id: 1,
  material: 'PLA',
  colour: '#2244aa',
  colour_name: 'Blue',
  state: 'open',
  left_grams: 400,
  held_grams: 0,
  full_grams: 1000,
  reel_grams: 200,
  received: '2026-11-01T10:00:00Z',
  notes: [],
  may: ['begins to dry', 'runs out', 'is retired'],
  revision: 4,
  ...more,
})
const part = (id: number, more: Partial<WearView> = {}): WearView => ({
  id,
  machine_id: 3,
  machine: 'Halyard',
  name: 'Nozzle',
  nozzle: 1,
  limit_hours: 600,
  limit_grams: 0,
  hours: 90,
  grams: 1100,
  runs: 12,
  since: '2026-07-01T10:00:00Z',
  share: 0.15,
  stands: 'fine',
  revision: 3,
  ...more,
})
const stores: StoresView = {
  parts: [],
  beds: [],
  materials: [
    { material: 'PETG', left_grams: 90, promised_grams: 120, spools: 1 },
    { material: 'PLA', left_grams: 800, promised_grams: 0, spools: 2 },
  ],
  spools: [
    spool(1, { left_grams: 400, held_grams: 250, place: 'rack' }),
    spool(2, {
      colour_name: 'Chalk',
      state: 'loaded',
      machine_id: 3,
      machine: 'Halyard',
      nozzle: 1,
      may: ['is unloaded'],
    }),
    spool(5, { material: 'PETG', material_id: 2, colour_name: 'Tar', left_grams: 90, notes: ['It was left out.'] }),
  ],
}

let shown: VueWrapper | undefined
async function room(v: StoresView) {
  server.answers['/spools'] = v
  for (const s of v.spools)
    server.answers[`/spools/${s.id}/lines`] = [
      { id: 1, at: s.received, kind: 'received', left_grams: 1000, held_grams: 0, stands_grams: 1000 },
    ]
  server.answers['/house'] = {
    house: { locale: 'en-GB', currency: 'EUR', time_zone: 'UTC' },
    machines: [{ id: 3, data: { name: 'Halyard', nozzles_mm: [0.4, 0.6] } }],
    materials: [
      { id: 1, data: { name: 'PLA', spool_grams: 1000, drying: '45 °C' } },
      { id: 2, data: { name: 'PETG', spool_grams: 750, drying: '' } },
    ],
  }
  const router = createRouter({
    history: createMemoryHistory(),
    routes: ['/', '/machine/:id'].map((path) => ({ path, component: { template: '<i />' } })),
  })
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } })
  shown = mount(StoresRoom, {
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

const chosen = () => shown!.find('.one h2').text()

describe('the stores', () => {
  it('show what is left by material, more promised than there is, and what to see to', async () => {
    const w = await room(stores)
    expect(w.findAll('.list section:not(.wear) h2').map((h) => h.text().replace(/\s+/g, ' '))).toEqual([
      'PETG 90.0 g on 1 spool · 120 g promised to runs▲ more than there is',
      'PLA 800 g on 2 spools',
    ])
    expect(w.find('#spool-5').text()).toContain('▲ see to it')
    expect(chosen()).toContain('Tar PETG')
    expect(w.find('.one').text()).toContain('It was left out.')
    const filled = (id: number) =>
      w
        .findAll(`#spool-${id} circle[stroke-dasharray]`)
        .map((c) => Number(c.attributes('stroke-dasharray')!.split(' ')[0]) / (2 * Math.PI * 15))
    expect(
      filled(1)
        .slice(1)
        .map((x) => Math.round(100 * x)),
      'left and promised, of a full one',
    ).toEqual([40, 25])
    expect(
      filled(2)
        .slice(1)
        .map((x) => Math.round(100 * x)),
    ).toEqual([40])
  })
  it('are gone through and searched by key', async () => {
    const w = await room(stores)
    await press('j')
    expect(chosen()).toContain('Blue PLA')
    await press('j')
    await press('j')
    expect(chosen(), 'the last stays').toContain('Chalk PLA')
    expect(w.find('.one').text()).toContain('loaded on Halyard')
    await press('k')
    await press('k')
    expect(chosen()).toContain('Tar PETG')
    await w.find('.search input').setValue('halyard chalk')
    expect(w.findAll('.list li')).toHaveLength(1)
    expect(chosen()).toContain('Chalk')
    await w.find('.search input').setValue('nothing of it')
    expect(w.text()).toContain('Nothing here is called so.')
  })
  it('weigh a spool, and say first what that would make of it', async () => {
    const w = await room(stores)
    await press('j')
    await press('w')
    const [scale, reel] = w.findAll('.ask input')
    expect((reel!.element as HTMLInputElement).value, 'as it is known').toBe('200')
    await scale!.setValue('ten')
    expect(w.find('.ask button').attributes('disabled')).toBeDefined()
    await scale!.setValue('550')
    expect(w.find('.ask p').text()).toBe('350 g on it: 50.0 g less than the books have')
    await w.find('.ask').trigger('submit')
    await flushPromises()
    expect(server.asked).toEqual([['/spools/1/weighed', { revision: 4, grams: 550, reel_grams: 200 }]])
    expect(w.find('.ask').exists(), 'it is done').toBe(false)
  })
  it('turn a spool, write off only what was looked at, and correct with a reason', async () => {
    const w = await room(stores)
    await press('j')
    const button = (text: string) => w.findAll('.acts button').find((b) => b.text().includes(text))!
    await button('put to dry').trigger('click')
    await flushPromises()
    await button('out of the books').trigger('click')
    expect(w.find('.ask').text()).toContain('400 g that the books have on it are written off')
    expect(server.asked).toEqual([['/spools/1/told', { revision: 4, what: 'begins to dry' }]])
    await w.find('.ask button').trigger('click')
    await flushPromises()
    await button('Correct').trigger('click')
    const [grams, why] = w.findAll('.ask input')
    await grams!.setValue('−12,5')
    expect(w.find('.ask button').attributes('disabled'), 'not without a reason').toBeDefined()
    await why!.setValue('a test at the machine')
    await w.find('.ask').trigger('submit')
    await flushPromises()
    expect(server.asked.slice(1)).toEqual([
      ['/spools/1/told', { revision: 4, what: 'is retired' }],
      ['/spools/1/corrected', { revision: 4, grams: -12.5, why: 'a test at the machine' }],
    ])
  })
  it('tell what wears out, and count anew only when it was said twice', async () => {
    const w = await room({
      ...stores,
      parts: [
        part(7, { share: 1.02, stands: 'worn', hours: 612 }),
        part(8, { name: 'Belts', nozzle: 0, share: 0.93, stands: 'soon' }),
        part(9, { name: 'Fan', limit_hours: 0, share: 0 }),
      ],
      beds: [
        {
          machine_id: 3,
          machine: 'Halyard',
          hours: 41.3,
          limit_hours: 40,
          kept: 0.05,
          runs: 9,
          since: '2026-07-01T10:00:00Z',
        },
      ],
    })
    const rows = w.findAll('.wear tbody tr').map((r) => r.text().replace(/\s+/g, ' '))
    expect(rows[0]).toContain('Nozzle Halyard, nozzle 1')
    expect(rows[0]).toContain('▲ 102 %612 h of 600 h, 1,100 g; since')
    expect(w.find('#worn').text()).toBe('▲ a part is worn')
    expect(w.find('.bar').attributes('aria-valuenow')).toBe('102')
    expect(rows[1]).toContain('◐ 93 %')
    expect(rows[2]).toContain('no limit')
    expect(rows[3]).toContain('▲ 5 % kept free41 h of 40 h at its most worn spot')
    const button = (text: string) => w.findAll('.wear tbody button').find((b) => b.text() === text)!
    await button('It is new').trigger('click')
    expect(server.asked, 'asked once more').toEqual([])
    await button('Yes, it is new').trigger('click')
    await flushPromises()
    expect(server.asked).toEqual([['/wear-parts/7/renew', { revision: 3 }]])
  })
  it('count another part, and change one', async () => {
    const w = await room({ ...stores, parts: [part(7)] })
    const fill = async (values: Record<string, string>) => {
      await vi.waitFor(() => expect(document.querySelector('form.part')).toBeTruthy())
      const form = document.querySelector('form.part')!
      for (const [label, value] of Object.entries(values)) {
        const input = [...form.querySelectorAll('input')].find(
          (i) => i.closest('.v-input')?.querySelector('label')?.textContent === label,
        )!
        input.value = value
        input.dispatchEvent(new Event('input'))
      }
      await flushPromises()
      return form
    }
    const choose = async (select: HTMLSelectElement, k: number) => {
      select.value = select.options[k]!.value
      select.dispatchEvent(new Event('change'))
      await flushPromises()
    }
    await w.find('#count-part').trigger('click')
    let form = await fill({ 'Name, as it is called in the house': ' Nozzle 2 ', 'Good for': 'long' })
    await choose(form.querySelector('select')!, 0)
    await choose(form.querySelectorAll('select')[1]!, 2)
    const save = () => form.querySelector<HTMLButtonElement>('button[type=submit]')!
    expect(save().disabled, 'no number').toBe(true)
    form = await fill({ 'Good for': '500', 'Has done already': '20' })
    form.dispatchEvent(new Event('submit', { cancelable: true }))
    await flushPromises()
    const is = { name: 'Nozzle 2', nozzle: 2, limit_hours: 500, limit_grams: 0 }
    expect(server.asked).toEqual([['/wear-parts', { ...is, machine_id: 3, hours: 20, grams: 0 }]])
    await w.findAll('.wear tbody button')[1]!.trigger('click')
    await flushPromises()
    expect(document.querySelector('form.part h2')!.textContent).toBe('Change Nozzle')
    form = await fill({ or: '7000' })
    form.dispatchEvent(new Event('submit', { cancelable: true }))
    await flushPromises()
    expect(server.asked[1]).toEqual([
      '/wear-parts/7',
      { revision: 3, name: 'Nozzle', nozzle: 1, limit_hours: 600, limit_grams: 7000 },
    ])
    const leave = () => [...form.querySelectorAll('button')].at(-1)!
    leave().click()
    await flushPromises()
    expect(leave().textContent, 'asked once more').toContain('Yes, forget')
    expect(server.asked).toHaveLength(2)
    leave().click()
    await flushPromises()
    expect(server.asked[2]).toEqual(['/wear-parts/7/remove', { revision: 3 }])
  })
  it('take in what has come', async () => {
    const w = await room({ materials: [], spools: [], parts: [], beds: [] })
    expect(w.text()).toContain('No spools are in the books yet.')
    await press('n')
    await vi.waitFor(() => expect(document.querySelector('.come')).toBeTruthy())
    const form = document.querySelector('.come')!
    const set = (label: string, value: string) => {
      const input = [...form.querySelectorAll('input')].find((i) =>
        i.closest('.v-input')?.textContent?.includes(label),
      )!
      input.value = value
      input.dispatchEvent(new Event('input'))
    }
    const select = form.querySelector('select')!
    select.value = select.options[1]!.value
    select.dispatchEvent(new Event('change'))
    await flushPromises()
    const save = () => form.querySelector<HTMLButtonElement>('button[type=submit]')!
    expect(save().disabled, 'no colour').toBe(true)
    set('Colour, in words', ' Tar ')
    set('An empty reel weighs', '212')
    set('How many', '2')
    await flushPromises()
    form.dispatchEvent(new Event('submit', { cancelable: true }))
    await flushPromises()
    expect(server.asked).toEqual([
      [
        '/spools',
        {
          material_id: 2,
          colour: '#8a8a8a',
          colour_name: 'Tar',
          lot: '',
          place: '',
          grams: 750,
          reel_grams: 212,
          spools: 2,
        },
      ],
    ])
  })
})
