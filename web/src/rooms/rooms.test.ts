import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, effectScope, h, ref, type Component } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'
import described from '../../../core/print/machine/testdata/settings.json'
import type { JobView, LaneView, PieceView, LadderRow, RunView, SliceView, Slip } from '../api/client'
import CheckProgress from '../components/CheckProgress.vue'
import FindingList from '../components/FindingList.vue'
import BedMap from '../components/BedMap.vue'
import DateField from '../components/DateField.vue'
import HandInPanel from '../components/HandInPanel.vue'
import ConditionsForm from '../components/ConditionsForm.vue'
import LettersDrawer from '../components/LettersDrawer.vue'
import PeopleDrawer from '../components/PeopleDrawer.vue'
import RoutinePanel from '../components/RoutinePanel.vue'
import JobUse from '../components/JobUse.vue'
import JobSlip from '../components/JobSlip.vue'
import MachineLadder from '../components/MachineLadder.vue'
import OverhangList from '../components/OverhangList.vue'
import PasswordForm from '../components/PasswordForm.vue'
import PieceCare from '../components/PieceCare.vue'
import PlatePanel from '../components/PlatePanel.vue'
import SignIn from '../components/SignIn.vue'
import WorkerList from '../components/WorkerList.vue'
import LayersPanel from '../components/LayersPanel.vue'
import SavingsList from '../components/SavingsList.vue'
import SettingsPanel from '../components/SettingsPanel.vue'
import WayLadder from '../components/WayLadder.vue'
import TopBand from '../components/TopBand.vue'
import { readLayers } from '../components/partScene'
import { hush, notices, say } from '../composables/notices'
import { usePanel } from '../composables/panels'
import { makeRouter, rooms } from '../router'
import { asItWas } from '../test-page'
import BenchRoom from './BenchRoom.vue'
import CounterRoom from './CounterRoom.vue'
import FloorRoom from './FloorRoom.vue'
import HouseRoom from './HouseRoom.vue'
import JobRoom from './JobRoom.vue'
import ShelfRoom from './ShelfRoom.vue'
import { asks, untaken } from '../test-server'
import { components, createVuetify } from '../test-vuetify'

// The server: what it answers by path, and what it was asked to do.
const server = vi.hoisted(() => ({
  answers: {} as Record<string, unknown>,
  asked: [] as unknown[],
  refuses: undefined as unknown,
}))
vi.mock('../api/client', async (original) => {
  const path = (p: string, o?: { params?: { path?: Record<string, unknown> } }) =>
    p.replace(/\{(\w+)\}/g, (_, k: string) => String(o?.params?.path?.[k]))
  const deed =
    (method: string) => async (p: string, o?: { params?: { path?: Record<string, unknown> }; body?: unknown }) => {
      asks(method, p, o?.body)
      server.asked.push([method, path(p, o), o?.body])
      return server.refuses
        ? { error: server.refuses, response: { ok: false, status: 422 } }
        : { response: { ok: true, status: 204 } }
    }
  const api = {
    GET: async (p: string, o?: object) => {
      const data = await server.answers[path(p, o)]
      return data === undefined
        ? { error: {}, response: { ok: false, status: 404 } }
        : { data, response: { ok: true, status: 200 } }
    },
    POST: deed('POST'),
    PUT: deed('PUT'),
    DELETE: deed('DELETE'),
  }
  return { ...(await original<object>()), api }
})

const may = (state: string, stopped = false): Slip['may'] => ({
  decide: state === 'to decide',
  approve: state === 'to decide' && !stopped,
  change: ['arrived', 'to decide'].includes(state),
  send_back: ['arrived', 'to decide'].includes(state),
  take_back: ['being sliced', 'approved'].includes(state),
  withdraw: ['arrived', 'to decide', 'being sliced', 'approved'].includes(state),
  next: (
    {
      approved: 'its run starts',
      'in production': 'its run ends',
      finishing: 'ready to be fetched',
      'pick-up': 'fetched',
    } as const
  )[state],
})
const slip = (id: number, state: string, more: Partial<Slip> = {}): Slip => ({
  id,
  title: `Part ${id}`,
  state,
  member: 'Nia Marlow',
  member_id: 3,
  purpose: 'everyday',
  late: false,
  wish: '',
  piece_id: id,
  pieces: 1,
  pictured: false,
  revision: 7,
  arrived_at: '2026-11-25T09:00:00Z',
  check: { state: 'done', fraction: 1, error: '', doing: '' },
  may: may(state),
  ...more,
})
const row = (machine_id: number, name: string, more: Partial<LadderRow> = {}): LadderRow => ({
  machine_id,
  name,
  in_service: true,
  fits: true,
  takes: (more.fits ?? true) && (more.in_service ?? true),
  full: false,
  seconds: 3600,
  grams: 12,
  price_cents: 240,
  proposed: false,
  over_mm: [0, 0, 0],
  scale_to_fit: 1,
  shape: 'rectangle',
  turn_deg: 0,
  volume_mm: [200, 200, 200],
  nozzles: [],
  ...more,
})
const piece = (id: number): PieceView => ({
  id,
  name: `part-${id}.stl`,
  copies: 3,
  current: 1,
  nozzle: 0,
  undo: 0,
  redo: 0,
  viewable: false,
  pictured: false,
  versions: [],
  mend: [],
  unit_proposals: [],
  surface: {
    triangles: 12,
    vertices: 8,
    bodies: 1,
    closed: true,
    oriented: true,
    size_mm: [10, 20.5, 30],
    volume_mm3: 6150,
    area_mm2: 10,
    boundary_edges: 0,
    crossing_pairs: 0,
    misoriented_edges: 0,
    nonmanifold_edges: 0,
  },
})
const jobView = (id: number, more: Partial<JobView> = {}): JobView => ({
  ...slip(id, 'to decide'),
  use: {},
  questions: [],
  ways: { rows: [], tried: 0, of: 0 },
  stopped: false,
  elsewhere: [],
  letters: [],
  findings: [],
  messages: [
    { about: 'thin', text: 'Too thin, alas.' },
    { about: 'ask the member', text: 'Please come by.' },
  ],
  history: [],
  runs: [],
  piece_set: [piece(id)],
  left_out: [],
  ladder: [row(1, 'Bowline'), row(2, 'Capstan', { proposed: true }), row(3, 'Halyard', { fits: false })],
  ...more,
})

let shown: VueWrapper | undefined
async function room(what: Component, at = '/') {
  const to = { template: '<i />' }
  const router = createRouter({
    history: createMemoryHistory(),
    routes: ['/', '/shelf/finishing', '/job/:id?', '/counter/:id?', '/bench/:id?', '/floor', '/machine/:id'].map(
      (path) => ({
        path,
        component: to,
      }),
    ),
  })
  await router.push(at)
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } })
  shown = mount(what, {
    attachTo: document.body,
    global: {
      plugins: [createVuetify({ components }), [VueQueryPlugin, { queryClient }], router] as never,
      stubs: { PartView: true, SettingsPanel: true, LayersPanel: true, HeightStrip: true },
    },
  })
  await flushPromises()
  asItWas()
  return { w: shown, router, client: queryClient }
}
/** A part of a room by itself. */
async function part(what: Component, props: object) {
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } })
  const router = makeRouter()
  shown = mount(what, {
    attachTo: document.body,
    props,
    global: { plugins: [createVuetify({ components }), [VueQueryPlugin, { queryClient }], router] as never },
  })
  await router.isReady()
  await flushPromises()
  asItWas()
  return shown
}
const loft = {
  name: 'Loft',
  locale: 'en-GB',
  currency: 'EUR',
  time_zone: 'UTC',
  week: [[], [{ from: 600, to: 1080 }], [], [], [], [], []],
  attendance_min: 10,
  start_cents: 50,
  sooner_cents: 100,
  longest_run_min: 360,
  file_pattern: '',
  revision: 3,
}

const machineNamed = (name: string) => ({
  name,
  in_service: true,
  process: 'material extrusion',
  volume: { shape: 'round', x_mm: 200, y_mm: 200, z_mm: 180 },
  nozzles_mm: [0.4, 0.6],
  rate_cents_per_hour: 120,
  material: 'PLA',
  colour: '#888888',
  colour_name: 'grey',
})

const press = async (key: string, shiftKey = false) => {
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key, shiftKey, bubbles: true }))
  await flushPromises()
  asItWas()
}

beforeEach(() => {
  vi.useFakeTimers({ toFake: ['Date'], now: new Date('2026-11-26T10:00:00Z') })
  server.asked = []
  server.refuses = undefined
  const texts = {
    repair_steps: [
      { key: 'weld', name: 'Draw corners together' },
      { key: 'holes', name: 'Close holes' },
    ],
    units: [{ key: 'in', name: 'inches' }],
    line_kinds: [],
  }
  server.answers = {
    '/session': { id: 1, name: 'Cato', role: 'coordinator' },
    '/house': { house: { currency: 'EUR' }, machines: [], materials: [], recipes: [], texts },
  }
})
afterEach(() => {
  try {
    if (document.body.innerHTML) asItWas()
  } finally {
    shown?.unmount()
    document.body.innerHTML = ''
  }
  expect(untaken.splice(0), 'what the server would refuse by its form').toEqual([])
})

describe('what a yes can be', () => {
  it('is on conditions, each with a value and a reason, and up to so much more', async () => {
    server.answers['/settings'] = {
      ...described,
      recipe: [
        { key: 'infill_percent', name: 'Infill density', type: 'number', unit: '%', text: '' },
        { key: 'bed_adhesion', name: 'Bed adhesion', type: 'choice', choices: ['none', 'brim'], text: '' },
        { key: 'seam', name: 'Seam', type: 'text', text: '' },
      ],
    }
    const w = await part(ConditionsForm, { row: row(2, 'Capstan'), purpose: 'everyday' })
    const ok = () => w.find('button[type=submit]').attributes('disabled') === undefined
    expect(ok()).toBe(false)
    await w.findAll('.usual button')[0]!.trigger('click')
    await w.findAll('.usual button')[0]!.trigger('click') // once is enough
    await w.find('[data-value=infill_percent]').setValue('40,5')
    expect(ok()).toBe(false)
    await w.find('.why').setValue(' It is stood on ')
    expect(ok()).toBe(true)
    await w.find('select[aria-label="Another setting"]').setValue('seam')
    expect(ok()).toBe(false)
    await w.find('[aria-label="Leave Seam to the recipe"]').trigger('click')
    await w.find('[aria-label="Percent more"]').setValue('25')
    await w.find('form').trigger('submit')
    expect(w.emitted('yes')).toEqual([[[{ key: 'infill_percent', value: '40.5', why: 'It is stood on' }], 25]])
    await w.find('form').trigger('keydown', { key: 'Escape' })
    expect(w.emitted('leave')).toHaveLength(1)
  })
  it('is to all routine ones but those left out, as they were listed', async () => {
    const job = (id: number, more = {}) => ({
      id,
      title: `Part ${id}`,
      member: 'Nia Marlow',
      revision: 7,
      machine: 'Capstan',
      machine_id: 2,
      plates: 1,
      seconds: 3600,
      grams: 10,
      price_cents: 200 + id,
      finish: '2026-11-26T12:00:00Z',
      rules_met: 9,
      told: [],
      ...more,
    })
    server.answers['/routine'] = {
      jobs: [job(1), job(2, { told: ['long and flat'] }), job(3)],
      others: [{ id: 9, title: 'Part 9', why: 'to decide: overhangs' }],
    }
    const w = await part(RoutinePanel, { modelValue: true })
    const at = () => document.querySelector('.routine') as HTMLElement
    expect(at().innerText || at().textContent).toContain('Part 9')
    ;(at().querySelectorAll('input[type=checkbox]')[1] as HTMLInputElement).click()
    await flushPromises()
    expect(at().textContent).toContain('2 of 3')
    at().dispatchEvent(new Event('submit'))
    await flushPromises()
    expect(server.asked).toEqual([
      [
        'POST',
        '/routine',
        {
          jobs: [
            { id: 1, revision: 7, machine_id: 2, price_cents: 201 },
            { id: 3, revision: 7, machine_id: 2, price_cents: 203 },
          ],
        },
      ],
    ])
    expect(w.emitted('update:modelValue')).toEqual([[false]])
    expect(notices.at(-1)?.text).toBe('2 jobs are approved.')
  })
})

describe('a job, to its member', () => {
  const states: [string, object, RegExp][] = [
    ['arrived', { check: { state: 'running', fraction: 0.5 } }, /looked through/],
    ['arrived', { check: { state: 'failed', fraction: 0 } }, /could not be/],
    ['to decide', {}, /can be printed/],
    ['to decide', { asked: 'Which?' }, /waits for your answer/],
    [
      'to decide',
      { findings: [{ check: 'hole', grade: 'stops it', text: 'A hole.', piece_id: 4 }] },
      /one thing below has/,
    ],
    ['to decide', { findings: [{ check: 'neck', grade: 'decide', text: 'Thin.', piece_id: 4 }] }, /desk decides/],
    ['being sliced', { machine: 'Capstan' }, /said yes/],
    ['approved', { machine: 'Capstan', finish: '2026-11-26T12:00:00Z' }, /turn on Capstan, done about/],
    ['in production', { machine: 'Capstan' }, /^Capstan prints it\./],
    ['finishing', {}, /off the machine/],
    ['pick-up', {}, /ready/],
    ['fetched', {}, /fetched/],
    ['sent back', {}, /sent back/],
    ['withdrawn', {}, /withdrawn/],
  ]
  it.each(states)('that is %s says where it is, in plain words', async (state, more, says) => {
    server.answers['/jobs/4'] = jobView(4, { state, ...more } as never)
    const { w } = await room(JobRoom, '/job/4')
    expect(w.find('.where').text()).toMatch(says)
  })
  it('shows what it was told, the latest first, and questions once', async () => {
    const at = '2026-11-26T09:00:00Z'
    server.answers['/jobs/4'] = jobView(4, {
      letters: [
        { at, kind: 'approved', text: 'It is approved.\nTwice.', who: 'Cato' },
        { at, kind: 'asked', text: 'A question: Which?', who: 'Cato' },
        { at, kind: 'sent back', text: 'It leans.' },
      ],
    })
    const { w } = await room(JobRoom, '/job/4')
    expect(w.findAll('.letters .text').map((x) => x.text())).toEqual(['It is approved.\nTwice.', 'It leans.'])
    await w.find('#withdraw').trigger('click')
    await flushPromises()
    expect(server.asked).toEqual([['POST', '/jobs/4/withdraw', { revision: 7, reason: '' }]])
  })
})

describe('what members are told', () => {
  it('is written anew, refused by its reason, and as it was at first again', async () => {
    server.answers['/letters'] = [
      { kind: 'approved', fields: ['title', 'price'], text: '{title} is approved.', first: '{title} is approved.' },
      { kind: 'sent back', fields: ['reason'], text: 'Our own.', first: '{reason}' },
    ]
    const w = await part(LettersDrawer, { editable: true })
    expect(w.text()).toContain('{title} {price}')
    expect(w.find('#letter-save').attributes('disabled')).toBeDefined()
    await w.find('#letter').setValue('{cost}')
    server.refuses = {
      detail: 'validation failed',
      errors: [{ location: 'body.text', message: 'There is no {cost}.' }],
    }
    await w.find('form').trigger('submit')
    await flushPromises()
    expect(w.text()).toContain('There is no {cost}.')
    server.refuses = undefined
    server.asked = []
    await w.find('#letter').setValue('{title}: yes')
    await w.find('form').trigger('submit')
    await flushPromises()
    expect(server.asked).toEqual([['PUT', '/letters', { kind: 'approved', text: '{title}: yes' }]])
  })
  it('may ask for the group of each', async () => {
    server.answers['/people'] = [
      { id: 3, name: 'Nia Marlow', role: 'member', group: 'evening class' },
      { id: 4, name: 'Ola Berg', role: 'member' },
    ]
    const w = await part(PeopleDrawer, { editable: true })
    const field = w.find('[aria-label="Group of Ola Berg"]')
    await field.setValue(' evening class ')
    await field.trigger('change')
    expect(server.asked[0]).toEqual(['PUT', '/people/4/group', { group: 'evening class' }])
  })
})

describe('the shelf', () => {
  it('has every slip on its shelf, each with the way to its own job', async () => {
    server.answers['/jobs'] = {
      states: ['arrived', 'to decide', 'approved'],
      slips: [
        slip(1, 'to decide'),
        slip(2, 'to decide', { title: 'Cleat', member: 'Ola Berg' }),
        slip(3, 'approved'),
        slip(4, 'arrived'),
      ],
      next: { room: 'counter', job_id: 2, text: 'Decide on Cleat' },
    }
    const { w, router } = await room(ShelfRoom)
    expect(w.findAll('.slip').map((s) => s.attributes('href'))).toEqual([
      '/bench/4',
      '/counter/1',
      '/counter/2',
      '/bench/3',
    ])
    expect(w.findAll('.plank h2').map((h) => h.text())).toEqual(['Arrived1', 'To decide2', 'Approved1'])
    // What is shown only is in the address, so that it is kept.
    await w.find('select[aria-label=Anybody]').setValue('Ola Berg')
    await flushPromises()
    expect(w.findAll('.slip').map((s) => s.attributes('href'))).toEqual(['/counter/2'])
    expect(router.currentRoute.value.query).toEqual({ member: 'Ola Berg' })
    await w.findAll('.filters button')[0]!.trigger('click')
    await flushPromises()
    expect(w.findAll('.slip')).toHaveLength(0)
    await w.find('.filters .link').trigger('click')
    await flushPromises()
    expect(w.findAll('.slip')).toHaveLength(4)
    await w.find('.search input').setValue('ola CLEAT')
    expect(w.findAll('.slip').map((s) => s.attributes('href'))).toEqual(['/counter/2'])
    expect(w.text()).toContain('No match here.')
    expect(w.find('.next').text()).toContain('Decide on Cleat')
    await w.find('.next').trigger('click')
    await flushPromises()
    expect(router.currentRoute.value.path).toBe('/counter/2')
  })
  it('is walked with the arrows, along a shelf and between shelves', async () => {
    server.answers['/jobs'] = {
      states: ['arrived', 'to decide', 'approved'],
      slips: [slip(1, 'to decide'), slip(2, 'to decide'), slip(3, 'approved'), slip(4, 'arrived')],
      next: { room: 'floor', job_id: 3, text: 'Start it' },
    }
    const { router } = await room(ShelfRoom)
    const at = () => document.activeElement?.getAttribute('href')
    for (const [key, slipNow] of [
      ['ArrowRight', 4],
      ['ArrowRight', 4],
      ['ArrowDown', 1],
      ['ArrowRight', 2],
      ['ArrowRight', 2],
      ['ArrowLeft', 1],
      ['ArrowRight', 2],
      ['ArrowDown', 3],
      ['ArrowDown', 3],
      ['ArrowUp', 1],
      ['ArrowUp', 4],
      ['ArrowUp', 4],
    ] as const) {
      document.activeElement?.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
      expect(at(), key).toMatch(new RegExp(`/${slipNow}$`))
    }
    await press('/')
    expect(document.activeElement?.tagName).toBe('INPUT')
    await press('n')
    expect(router.currentRoute.value.path).toBe('/floor')
  })
})

describe('the counter', () => {
  beforeEach(() => {
    server.answers['/jobs'] = {
      states: [],
      slips: [
        slip(5, 'to decide'),
        slip(6, 'to decide', { needed_by: '2026-12-01' }),
        slip(7, 'arrived', { needed_by: '2026-11-30' }),
        slip(8, 'approved'),
      ],
    }
    for (const id of [5, 6, 7]) server.answers[`/jobs/${id}`] = jobView(id)
  })
  it('says so when all is decided', async () => {
    expect((await room(CounterRoom)).w.text()).not.toContain('All decided')
    shown?.unmount()
    server.answers['/jobs'] = { states: [], slips: [slip(8, 'approved')] }
    expect((await room(CounterRoom)).w.find('.verdict h2').text()).toBe('All decided')
  })
  it('has what is found on the machine that is meant, and answers that', async () => {
    const of = (check: string, more = {}) =>
      ({
        check,
        grade: 'decide',
        text: check,
        piece_id: 0,
        piece: '',
        key: 'k',
        value: 0,
        limit: 0,
        unit: '',
        ...more,
      }) as never
    server.answers['/jobs/6'] = jobView(6, {
      to_answer: 0,
      elsewhere: [{ machine_id: 1, findings: [of('late')], to_answer: 1 }],
      findings: [of('thin', { grade: 'worth knowing', piece_id: 6, key: undefined })],
    })
    const { w } = await room(CounterRoom, '/counter/6')
    expect(w.findAll('.findings > li').map((x) => x.attributes('data-check'))).toEqual(['thin'])
    expect(w.find('#yes').attributes('disabled')).toBeUndefined()
    await press('m')
    expect(w.findAll('.findings > li').map((x) => x.attributes('data-check'))).toEqual(['late', 'thin'])
    expect(w.find('#yes').attributes('disabled')).toBeDefined()
    await press('w')
    expect(server.asked[0]).toMatchObject(['POST', '/jobs/6/answer', { key: 'k' }])
  })
  it('has arrivals and what is to decide, soonest needed first', async () => {
    const { w } = await room(CounterRoom)
    expect(w.findAll('aside li .t').map((t) => t.text())).toEqual(['Part 7', 'Part 6', 'Part 5'])
    expect(w.find('.verdict h1').text()).toContain('Part 7')
    expect(w.find('.who').text()).toContain('10.0 × 20.5 × 30.0 mm')
  })
  it('repairs all pieces by one key, where there is something to mend', async () => {
    server.answers['/jobs/7'] = jobView(7, {
      piece_set: [{ ...piece(7), mend: ['holes'] }, piece(8), { ...piece(9), mend: ['weld', 'flat'] }] as never,
    })
    const { w } = await room(CounterRoom, '/counter/7')
    await press('R', true)
    expect(server.asked).toEqual([['POST', '/jobs/7/repair', { revision: 7 }]])
    expect(notices.at(-1)?.text).toContain('2 repaired versions')
    w.unmount()
    server.asked = []
    await room(CounterRoom, '/counter/6')
    await press('R', true)
    expect(server.asked).toEqual([])
  })
  it('tells whose job it loads, of what the shelf knows, and nothing that it does not', async () => {
    server.answers['/jobs/6'] = new Promise(() => {})
    const { w } = await room(CounterRoom, '/counter/6')
    expect(w.find('.verdict').text()).toBe('Loading Part 6, for Nia Marlow …')
    expect(document.title).toContain('Part 6')
    expect(w.find('.answer').exists()).toBe(false)
    await press('y')
    expect(server.asked).toEqual([])
  })
  it('says yes on the proposed machine, or on the one that was chosen', async () => {
    const { w, router } = await room(CounterRoom, '/counter/6')
    await w.find('#yes').trigger('click')
    await flushPromises()
    expect(server.asked).toEqual([['POST', '/jobs/6/approve', { revision: 7, machine_id: 2 }]])
    await vi.waitFor(() => expect(router.currentRoute.value.path, 'the next one comes up').toBe('/counter/5'))
    await flushPromises()
    await press('m')
    await press('y')
    expect(server.asked[1]).toEqual(['POST', '/jobs/5/approve', { revision: 7, machine_id: 1 }])
  })
  it('hears its keys from a radio that has the focus, and none behind an open panel', async () => {
    const { w } = await room(CounterRoom)
    const radio = w.find('.ladder input[type=radio]').element as HTMLInputElement
    radio.focus()
    const from = () => radio.dispatchEvent(new KeyboardEvent('keydown', { key: 'y', bubbles: true }))
    const drawer = ref(true)
    const scope = effectScope()
    scope.run(() => usePanel(drawer))
    from()
    await flushPromises()
    expect(server.asked).toEqual([])
    drawer.value = false
    from()
    await flushPromises()
    expect(server.asked).toHaveLength(1)
    scope.stop()
  })
  it('says no with the message, and stays where it was refused', async () => {
    const { w, router } = await room(CounterRoom, '/counter/6')
    await w.find('#no').trigger('click')
    await w.find('.message textarea').setValue('It leans.')
    server.refuses = { detail: 'Job 6 was changed by somebody else meanwhile.' }
    await w.find('form.message').trigger('submit')
    await flushPromises()
    expect(server.asked).toEqual([['POST', '/jobs/6/send-back', { revision: 7, reason: 'It leans.' }]])
    expect(router.currentRoute.value.path).toBe('/counter/6')
    expect(notices.at(-1)).toMatchObject({ kind: 'refused', text: 'Job 6 was changed by somebody else meanwhile.' })
  })
  it('has no yes to what stops it, and marks the piece it is about', async () => {
    server.answers['/jobs/6'] = jobView(6, {
      stopped: true,
      may: may('to decide', true),
      piece_set: [piece(5), piece(6)],
      findings: [
        {
          check: 'open surface',
          grade: 'stops it',
          text: 'It is open.',
          piece_id: 6,
          piece: 'a',
          value: 3,
          unit: 'edges',
          limit: 0,
          places: null,
          mend: null,
        } as never,
      ],
    })
    const { w } = await room(CounterRoom, '/counter/6')
    expect(w.find('#yes').attributes('disabled')).toBeDefined()
    expect(w.findAll('.pieces button, .piece').map((p) => p.findAll('.grade').length)).toEqual([0, 1])
    await press('y')
    expect(server.asked).toEqual([])
  })
})

describe('the bench', () => {
  it('tells the facts of a piece and steps its job on', async () => {
    server.answers['/jobs'] = { states: [], slips: [slip(9, 'finishing'), slip(10, 'finishing')] }
    server.answers['/jobs/9'] = jobView(9, { state: 'finishing', may: may('finishing') })
    const { w, router } = await room(BenchRoom, '/bench/9')
    const facts = Object.fromEntries(
      w.findAll('dl dt').map((t) => [t.text(), t.element.nextElementSibling?.textContent?.trim()]),
    )
    expect(facts).toMatchObject({ Copies: '3', File: 'part-9.stl' })
    await w.find('header .act').trigger('click')
    await flushPromises()
    expect(w.find('header .act').text()).toBe('Ready to be fetched')
    expect(server.asked).toEqual([['POST', '/jobs/9/advance', { revision: 7 }]])
    await press('j')
    expect(router.currentRoute.value.path).toBe('/bench/10')
    await press('k')
    expect(router.currentRoute.value.path).toBe('/bench/9')
  })
  it('looks at the next piece by a key, and at the first again after the last', async () => {
    server.answers['/jobs'] = { states: [], slips: [slip(9, 'approved')] }
    server.answers['/jobs/9'] = jobView(9, { state: 'approved', piece_set: [piece(9), piece(19), piece(29)] })
    const { w } = await room(BenchRoom, '/bench/9')
    const at = () => w.find('[aria-pressed=true]').text()
    const seen = [at()]
    for (let i = 0; i < 3; i++) {
      await press('x')
      seen.push(at())
    }
    expect(seen).toEqual(['part-9.stl', 'part-19.stl', 'part-29.stl', 'part-9.stl'])
  })
})

describe('the bench', () => {
  it('queues a job on the machine shown, and not on one that it does not fit', async () => {
    server.answers['/jobs'] = { states: [], slips: [slip(9, 'to decide')] }
    server.answers['/jobs/9'] = jobView(9, {
      ladder: [row(1, 'Bowline', { fits: false, proposed: true }), row(2, 'Capstan')],
    })
    await room(BenchRoom, '/bench/9')
    for (const key of ['y', 'm', 'm', 'y']) await press(key) // round to the first
    expect(server.asked).toEqual([])
    await press('m')
    await press('y')
    expect(server.asked).toEqual([['POST', '/jobs/9/approve', { revision: 7, machine_id: 2 }]])
  })
})

describe('how a piece stands', () => {
  const way = (turn: number[], more: object = {}) => ({
    turn,
    now: false,
    reason: `Turned by ${turn.join(' ')}`,
    overhang_mm2: 0,
    support_mm3: 0,
    contact_mm2: 250,
    strength_mm2: 90,
    height_mm: 20,
    fits: 2,
    scale_to_fit: 1,
    ...more,
  })
  const standing = (more: object = {}) => ({
    stand: { turn: [1, 0, 0, 0], scale: [1, 1, 1] },
    fixed: false,
    size_mm: [10, 20, 40],
    ways: [way([0, 1, 0, 0]), way([1, 0, 0, 0], { now: true }), way([0.6, 0.8, 0, 0], { fits: 0, scale_to_fit: 0.5 })],
    ...more,
  })
  const show = async (orientation: object, job: object = {}) => {
    server.answers['/jobs'] = { states: [], slips: [slip(9, 'to decide')] }
    server.answers['/jobs/9'] = jobView(9, {
      ladder: [row(1, 'Bowline', { proposed: true, fits: false, scale_to_fit: 0.25 })],
      piece_set: [{ ...piece(9), orientation } as PieceView],
      ...job,
    })
    return room(BenchRoom, '/bench/9')
  }
  beforeEach(() => localStorage.clear())
  const body = (n = -1) => (server.asked.at(n) as [string, string, Record<string, unknown>])[2]

  it('is taken from the list, by a key, or said in a line; another size with its reason', async () => {
    const { w } = await show(standing())
    await press('n')
    expect(body()).toEqual({ revision: 7, stand: { turn: [0.6, 0.8, 0, 0], scale: [1, 1, 1] }, why: '' })
    await press('N', true)
    expect(body()).toMatchObject({ stand: { turn: [0, 1, 0, 0] } })
    await w.findAll('.ways button')[2]!.trigger('click')
    expect(body()).toMatchObject({ stand: { turn: [0.6, 0.8, 0, 0] } })
    expect(w.findAll('.ways .over').map((x) => x.text())).toEqual(['▲ fits no machine; at 50.0 %'])
    const line = async (text: string) => {
      await w.find('.stand .line input').setValue(text)
      await w.find('.stand .line').trigger('submit')
      await flushPromises()
    }
    const before = server.asked.length
    await line('turn it round')
    expect(w.find('.stand .line').text()).toContain('That is none of')
    expect(server.asked).toHaveLength(before)
    await line('fit because the hull is 1:4')
    expect(body()).toMatchObject({ stand: { scale: [0.25, 0.25, 0.25] }, why: 'the hull is 1:4' })
    await line('best')
    expect(body()).toEqual({ revision: 7, best: true })
  })
  it('is undone and done again, as the house keeps it; its nozzle is said', async () => {
    const kept = (undo: number, redo: number) =>
      show(standing(), {
        piece_set: [{ ...piece(9), undo, redo, orientation: standing() } as PieceView],
        ladder: [row(1, 'Bowline', { proposed: true, nozzles: ['Hemp PLA', 'Clear Soluble'] })],
      })
    const { w } = await kept(0, 0)
    await press('Backspace')
    await press('Backspace', true)
    expect(server.asked).toEqual([])
    expect(w.findAll('.nozzle option').map((x) => x.text())).toEqual([
      'the recipe’s nozzle',
      'nozzle 1: Hemp PLA',
      'nozzle 2: Clear Soluble',
    ])
    await w.find('.nozzle select').setValue('2')
    await flushPromises()
    await w.find('.stand .line input').setValue('pull x')
    await w.find('.stand .line').trigger('submit')
    await flushPromises()
    await w.find('.stand .line input').setValue('nozzle 1')
    await w.find('.stand .line').trigger('submit')
    await flushPromises()
    expect(server.asked).toEqual([
      ['PUT', '/pieces/9', { revision: 7, nozzle: 2 }],
      ['PUT', '/pieces/9', { revision: 7, load: [1, 0, 0] }],
      ['PUT', '/pieces/9', { revision: 7, nozzle: 1 }],
    ])
    w.unmount()
    await kept(1, 2)
    await press('Backspace')
    await press('Backspace', true)
    expect(server.asked.slice(3)).toEqual([
      ['POST', '/pieces/9/undo', { revision: 7 }],
      ['POST', '/pieces/9/redo', { revision: 7 }],
    ])
  })
  it('is nobody’s to change while it is worked out, or when the job is settled', async () => {
    await show(standing(), { check: { state: 'running', fraction: 0.5, error: '', doing: '' } })
    await press('n')
    const { w } = await show(standing(), { state: 'approved', may: may('approved') })
    await press('n')
    expect(server.asked).toEqual([])
    expect(w.findAll('.ways button').every((b) => b.attributes('disabled') !== undefined)).toBe(true)
  })
  it('tells in the answer what the last change changed, not what the layers did', async () => {
    const { w, client } = await show(standing(), { ladder: [row(1, 'Bowline', { proposed: true })] })
    const later = async (orientation: object, more: Partial<LadderRow>) => {
      server.answers['/jobs/9'] = jobView(9, {
        ladder: [row(1, 'Bowline', { proposed: true, ...more })],
        piece_set: [{ ...piece(9), orientation } as PieceView],
      })
      await client.invalidateQueries()
      await flushPromises()
      return w.find('.answer').text()
    }
    expect(await later(standing(), { seconds: 4000, slice_id: 3, full: true })).not.toMatch(/[+−]/)
    const turned = standing({ fixed: true, stand: { turn: [0, 1, 0, 0], scale: [1, 1, 1] } })
    expect(await later(turned, { seconds: 2200, grams: 9.5, price_cents: 200 })).toMatch(/−30 min, −2\.5 g, −.*0\.40/)
    expect(await later(turned, { seconds: 5200, grams: 12, slice_id: 4, full: true })).toMatch(/\+20 min(?!.* g,)/)
  })
})

describe('the plate', () => {
  beforeEach(() => localStorage.clear())
  const corner = [
    [-10, -5],
    [10, -5],
    [10, 5],
    [-10, 5],
  ]
  const spot = (piece_id: number, copy: number, x_mm: number, more: object = {}) => ({
    piece_id,
    copy,
    x_mm,
    y_mm: 50,
    turn_deg: 0,
    ...more,
  })
  const sliced = (more: object = {}) =>
    ({
      id: 5,
      machine_id: 2,
      machine: 'Capstan',
      overrides: [],
      support_marks: [],
      stand: { turn: [1, 0, 0, 0], scale: [1, 1, 1] },
      full: {},
      plates: [
        {
          n: 1,
          spots: [spot(9, 1, 40, { outline_mm: corner }), spot(9, 2, 80), spot(19, 1, 120, { outline_mm: corner })],
        },
        { n: 2, spots: [spot(9, 3, 40, { outline_mm: corner })] },
      ],
      ...more,
    }) as unknown as SliceView
  const show = (slice: SliceView | undefined, may = true) =>
    part(PlatePanel, { job: jobView(9, {}), piece: piece(9), row: row(2, 'Capstan'), slice, may, seen: true })
  const ordered = () => (server.asked.at(-1) as [string, string, { pins: object[] }])[2].pins

  it('shows every copy from above, and pins the one that is moved or turned, at its place', async () => {
    await show(sliced())
    expect(shown!.findAll('polygon').map((p) => p.classes('own'))).toEqual([true, true, false])
    expect(shown!.findAll('polygon')[1]!.attributes('points')).toBe('70,-45 90,-45 90,-55 70,-55')
    await press('q')
    await press('q')
    await press('ArrowRight', true)
    await press('ArrowUp', true)
    await shown!.findAll('.acts button')[1]!.trigger('click')
    expect(shown!.find('.acts').text()).toContain('X 81.0, Y 51.0 mm')
    const turned = shown!.findAll('polygon')[1]!.attributes('points')!.split(' ')[0]!.split(',').map(Number)
    expect(turned[0]).toBeCloseTo(81 + 5)
    expect(turned[1]).toBeCloseTo(-(51 - 10))
    await shown!.find('.tidy').trigger('click')
    await flushPromises()
    expect(ordered()).toEqual([{ copy: 2, plate: 1, x_mm: 81, y_mm: 51, turn_deg: 90 }])
    await press('Q', true)
    await shown!.findAll('.which button')[1]!.trigger('click')
    await press('q')
    await press('Q', true)
    await shown!.find('.tidy').trigger('click')
    expect(ordered()).toEqual([{ copy: 3, plate: 2, x_mm: 40, y_mm: 50, turn_deg: 0 }])
  })
  it('has each move taken back and done again, after a reload too', async () => {
    await show(sliced())
    const at = () => shown!.find('.acts .num').text()
    await press('q')
    const first = at()
    await press('ArrowUp', true)
    await press('ArrowUp', true)
    const moved = at()
    shown!.unmount()
    await show(sliced())
    await press('q')
    expect(at()).toBe(moved)
    await press('Backspace')
    await press('Backspace')
    await press('Backspace')
    expect(at()).toBe(first)
    await press('Backspace', true)
    await press('Backspace', true)
    expect(at()).toBe(moved)
    expect(server.asked).toEqual([])
  })
  it('goes on from what was pinned, and is nobody’s to change who may not', async () => {
    const pins = [{ copy: 1, plate: 1, x_mm: 40, y_mm: 50, turn_deg: 0 }]
    await show(sliced({ pins }), false)
    expect(shown!.findAll('.copies button').map((b) => b.text())).toEqual(['copy 1 ◆', 'copy 2'])
    await press('q')
    await press('Q', true)
    expect(shown!.findAll('.acts button').every((b) => b.attributes('disabled') !== undefined)).toBe(true)
    expect(server.asked).toEqual([])
    shown!.unmount()
    await show(undefined)
    expect(shown!.text()).toContain('when it has been sliced')
  })
})

describe('a yes', () => {
  it('is to a ceiling while the plates are not sliced, and says so', async () => {
    server.answers['/jobs'] = { states: [], slips: [slip(6, 'to decide')] }
    server.answers['/jobs/6'] = jobView(6, {
      ladder: [
        row(2, 'Capstan', { proposed: true, plates: 3, ceiling: { seconds: 5400, grams: 16, price_cents: 310 } }),
      ],
    })
    const { w } = await room(CounterRoom, '/counter/6')
    expect(w.find('.proposal').text()).toMatch(/3 plates.*no more than 1 h 30 min, 16(\.0)? g, .*3\.10/s)
    expect(w.find('.ladder .plates').text()).toBe('3 plates')
    w.unmount()
    server.answers['/jobs/6'] = jobView(6, { ladder: [row(2, 'Capstan', { proposed: true, full: true, plates: 1 })] })
    const { w: sliced } = await room(CounterRoom, '/counter/6')
    expect(sliced.find('.ceiling').exists()).toBe(false)
  })
  it('is taken back, and a job withdrawn, while nothing of it is started; its runs give their programs', async () => {
    const run = (id: number, plate: number, more: object = {}) => ({
      id,
      job_id: 9,
      state: 'planned',
      movable: true,
      plate,
      plates: 2,
      seconds: 3600,
      grams: 9,
      price_cents: 150,
      ...more,
    })
    server.answers['/jobs'] = { states: [], slips: [slip(9, 'approved')] }
    server.answers['/jobs/9'] = jobView(9, {
      ...slip(9, 'approved'),
      runs: [run(4, 1), run(5, 2, { unsliced: true })] as never,
    })
    const { w } = await room(BenchRoom, '/bench/9')
    expect(w.findAll('.runs li').map((l) => l.text())).toEqual([
      expect.stringMatching(/^Plate 1 of 2, planned.*G-code$/),
      expect.stringMatching(/^Plate 2 of 2.*to be sliced before the start$/),
    ])
    expect(w.find('.runs a').attributes('href')).toBe('/api/runs/4/gcode')
    await w.find('#take-back').trigger('click')
    await w.find('#withdraw').trigger('click')
    expect(server.asked).toEqual([
      ['POST', '/jobs/9/take-back', { revision: 7 }],
      ['POST', '/jobs/9/withdraw', { revision: 7, reason: '' }],
    ])
    w.unmount()
    server.answers['/jobs/9'] = jobView(9, slip(9, 'in production'))
    const { w: begun } = await room(BenchRoom, '/bench/9')
    expect(begun.find('#take-back').exists() || begun.find('#withdraw').exists()).toBe(false)
  })
  it('that waits for its slice lies with what is approved', async () => {
    server.answers['/jobs'] = {
      states: ['to decide', 'being sliced', 'approved'],
      slips: [slip(1, 'being sliced'), slip(2, 'approved')],
    }
    const { w } = await room(ShelfRoom)
    expect(w.findAll('.plank h2').map((h) => h.text())).toEqual(['To decide0', 'Approved2'])
    expect(w.findAll('.slicing').map((x) => x.text())).toEqual(['being sliced'])
  })
})

describe('the workers of the house', () => {
  it('are told with what they do, or that nobody works', async () => {
    server.answers['/workers'] = [
      {
        name: 'shed-7',
        queues: ['counter', 'bench'],
        cores: 4,
        memory_mb: 2000,
        version: 'abc',
        since: '2026-11-26T09:00:00Z',
      },
      { name: 'loft-9', queues: ['night'], cores: 1, version: 'abd', since: '2026-11-26T09:30:00Z' },
    ]
    const w = await part(WorkerList, {})
    expect(
      w.findAll('tbody tr').map((r) =>
        r
          .findAll('td')
          .slice(0, 5)
          .map((d) => d.text()),
      ),
    ).toEqual([
      ['shed-7', 'checks, slices', '4', '2,000 MB', 'abc'],
      ['loft-9', 'alternatives', '1', 'no bound', 'abd'],
    ])
    w.unmount()
    server.answers['/workers'] = []
    expect((await part(WorkerList, {})).text()).toContain('Nobody works')
  })
})

describe('the floor', () => {
  const run = (id: number, state: RunView['state'], start: string, finish: string): RunView => ({
    id,
    job_id: 20 + id,
    job_revision: 4,
    machine_id: 1,
    material: 'PLA',
    title: `Part ${id}`,
    member: 'Nia',
    recipe: 'Bowline everyday',
    state,
    movable: state === 'planned',
    start,
    finish,
    seconds: 3600,
    grams: 3,
    price_cents: 5,
    colour: '#888',
    late: false,
  })
  const lane = (machine_id: number, name: string, runs: RunView[]): LaneView => ({
    machine_id,
    name,
    runs,
    in_service: true,
    process: 'material extrusion',
    loaded: 'PLA',
    colour: '#888',
    size: '200',
    free: '2026-11-26T14:00:00Z',
  })
  beforeEach(() => {
    server.answers['/floor'] = {
      now: '2026-11-26T10:30:00Z',
      open: [{ from: '2026-11-26T09:00:00Z', to: '2026-11-26T17:00:00Z' }],
      lanes: [
        lane(1, 'Bowline', [
          run(1, 'printing', '2026-11-26T08:20:00Z', '2026-11-26T11:20:00Z'),
          run(2, 'planned', '2026-11-26T11:20:00Z', '2026-11-26T12:20:00Z'),
          run(3, 'planned', '2026-11-26T12:20:00Z', '2026-11-26T13:20:00Z'),
        ]),
        lane(2, 'Capstan', []),
      ],
    }
  })
  const styles = (w: VueWrapper, what: string) =>
    w.findAll(what).map((e) => [(e.element as HTMLElement).style.left, (e.element as HTMLElement).style.width])
  it('draws runs to scale, from the hour in which the first began', async () => {
    const { w } = await room(FloorRoom)
    const an = 52 // pixels for an hour, from 08:00
    expect(styles(w, '.run').map(([l]) => Number.parseFloat(l!))).toEqual(
      [an / 3, (10 * an) / 3, (13 * an) / 3].map((v) => expect.closeTo(v, 3)),
    )
    expect(Number.parseFloat(styles(w, '.run')[0]![1]!)).toBeCloseTo(3 * an - 2, 3)
    expect(Number.parseFloat(styles(w, '.now')[0]![0]!)).toBeCloseTo(2.5 * an, 3)
    expect(styles(w, '.lane:first-of-type .closed, .lane .closed')[0]).toEqual(['0px', `${an}px`])
    const ticks = () =>
      w
        .findAll('.tick')
        .slice(0, 4)
        .map((x) => Number.parseInt(x.text().replace(/.*\D/, '')))
    expect(ticks()).toEqual([8, 9, 10, 11])
    await press('z')
    expect(Number.parseFloat(styles(w, '.now')[0]![0]!)).toBeCloseTo(2.5 * 30, 3)
    expect(ticks()).toEqual([8, 10, 12, 14])
  })
  it('begins an hour before now where nothing runs', async () => {
    server.answers['/floor'] = { now: '2026-11-26T10:30:00Z', open: [], lanes: [lane(1, 'Bowline', [])] }
    const { w } = await room(FloorRoom)
    expect(Number.parseFloat(styles(w, '.now')[0]![0]!)).toBeCloseTo(1.5 * 52, 3)
    expect(w.text()).toContain('Nothing queued.')
  })
  it('puts a run where it is let go, and leaves it where it was hardly moved', async () => {
    const { w } = await room(FloorRoom)
    const box = (top: number) => () => ({ top, bottom: top + 50, left: 0, right: 9999 }) as DOMRect
    w.findAll('.lane').forEach((l, i) => {
      l.element.getBoundingClientRect = box(50 * i)
      l.find('.track').element.getBoundingClientRect = box(50 * i)
    })
    const run = w.findAll('.run')[2]!
    ;(run.element as HTMLElement).setPointerCapture = () => undefined
    const drag = async (x: number, y: number) => {
      const at = (type: string, clientX: number, clientY: number) =>
        run.element.dispatchEvent(new MouseEvent(type, { clientX, clientY, button: 0, bubbles: true }))
      at('pointerdown', 230, 20)
      at('pointermove', x, y)
      at('pointerup', x, y)
      await flushPromises()
    }
    await drag(233, 23)
    expect(server.asked).toEqual([])
    await drag(260, 70)
    expect(server.asked).toEqual([['POST', '/runs/3/move', { machine_id: 2, place: 0 }]])
    await drag(170, 20)
    expect(server.asked[1]).toEqual(['POST', '/runs/3/move', { machine_id: 1, place: 0 }])
  })
  it('moves the chosen run, and opens its machine', async () => {
    const { w, router } = await room(FloorRoom)
    await w.findAll('.run')[2]!.trigger('focus')
    expect(w.find('#run-start').text()).toContain('12:20')
    const acts = w.findAll('.acts .v-btn')
    await acts.find((b) => b.text() === 'Earlier')!.trigger('click')
    await flushPromises()
    await acts.find((b) => b.text() === 'To Capstan')!.trigger('click')
    await flushPromises()
    expect(server.asked).toEqual([
      ['POST', '/runs/3/move', { machine_id: 1, place: 0 }],
      ['POST', '/runs/3/move', { machine_id: 2, place: 9999 }],
    ])
    // Where it would cost more, somebody says that it may.
    server.asked = []
    server.refuses = { detail: 'no', errors: [{ location: 'body.dearer', message: 'It costs 9.52, and not 5.64.' }] }
    await acts.find((b) => b.text() === 'To Capstan')!.trigger('click')
    await flushPromises()
    expect(document.querySelector('.ask')?.textContent).toContain('It costs 9.52, and not 5.64.')
    server.refuses = undefined
    document.querySelector<HTMLElement>('#dearer')!.click()
    await flushPromises()
    expect(server.asked[1]).toEqual(['POST', '/runs/3/move', { machine_id: 2, place: 9999, dearer: true }])
    expect(document.querySelector('.ask')).toBeNull()
    await press('s')
    expect(router.currentRoute.value.path).toBe('/machine/1')
  })
})

describe('the floor, by its keys', () => {
  it('walks from block to block, and moves the one it stands on', async () => {
    const run = (id: number, machine_id: number): RunView => ({
      id,
      job_id: 20 + id,
      job_revision: 4,
      machine_id,
      material: 'PLA',
      title: `Part ${id}`,
      member: 'Nia',
      recipe: '',
      state: 'planned',
      movable: true,
      start: `2026-11-26T1${id}:00:00Z`,
      finish: `2026-11-26T1${id}:30:00Z`,
      seconds: 1800,
      grams: 3,
      price_cents: 5,
      colour: '#888',
      late: false,
    })
    const lane = (machine_id: number, runs: RunView[]): LaneView => ({
      machine_id,
      name: `M${machine_id}`,
      runs,
      in_service: true,
      process: 'material extrusion',
      loaded: 'PLA',
      colour: '#888',
      size: '200',
    })
    server.answers['/floor'] = {
      now: '2026-11-26T10:30:00Z',
      open: [],
      lanes: [lane(1, [run(1, 1), run(2, 1), run(3, 1)]), lane(2, []), lane(3, [run(4, 3)])],
    }
    const { w, router } = await room(FloorRoom)
    for (const [key, title] of [
      ['ArrowRight', 1],
      ['ArrowRight', 2],
      ['ArrowLeft', 1],
      ['ArrowLeft', 1],
      ['ArrowDown', 4],
      ['ArrowDown', 4],
      ['ArrowUp', 1],
      ['ArrowUp', 1],
      ['ArrowRight', 2],
      ['ArrowRight', 3],
      ['ArrowRight', 3],
      ['ArrowLeft', 2],
    ] as const) {
      await press(key)
      expect(w.find('.run.chosen').text(), key).toContain(`Part ${title}`)
    }
    for (const key of ['ArrowLeft', 'ArrowRight', 'ArrowDown']) await press(key, true)
    expect(server.asked).toEqual(
      [0, 2]
        .map((place) => ['POST', '/runs/2/move', { machine_id: 1, place }])
        .concat([['POST', '/runs/2/move', { machine_id: 2, place: 0 }]]),
    )
    await press('ArrowDown')
    await press('ArrowUp', true)
    expect(server.asked[3]).toEqual(['POST', '/runs/4/move', { machine_id: 2, place: 0 }])
    await press('b')
    expect(router.currentRoute.value.path).toBe('/bench/24')
  })
})

describe('a plate of several jobs', () => {
  const run = (more: Partial<RunView> = {}): RunView => ({
    id: 3,
    job_id: 23,
    job_revision: 4,
    machine_id: 1,
    material: 'PLA',
    title: 'Cleat',
    member: 'Nia',
    recipe: 'everyday',
    state: 'planned',
    movable: true,
    start: '2026-11-26T11:00:00Z',
    finish: '2026-11-26T12:00:00Z',
    seconds: 3600,
    grams: 3,
    price_cents: 5,
    colour: '#888',
    late: false,
    needed_by: '2026-11-27',
    ...more,
  })
  const lane = (id: number, runs: RunView[]): LaneView => ({
    machine_id: id,
    name: `M${id}`,
    runs,
    in_service: true,
    process: 'material extrusion',
    loaded: 'PLA',
    colour: '#888',
    size: '200',
  })
  const could = (run_id: number, title: string, more: object = {}) => ({
    run_id,
    job_id: 20 + run_id,
    title,
    member: 'Ola',
    saves_seconds: 180,
    starts: 1,
    delays: [],
    sooner: [],
    ...more,
  })
  const floor = (r: RunView, beside: object) => {
    server.answers['/floor'] = { now: '2026-11-26T10:30:00Z', open: [], lanes: [lane(1, [r]), lane(2, [])] }
    server.answers['/runs/3/beside'] = { run_id: 3, could: [], made: [], ...beside }
    return room(FloorRoom)
  }
  const asked = () => server.asked.map((a) => (a as unknown[]).slice(0, 3))

  it('says what could lie there, whom that moves, and puts the first there by J', async () => {
    const { w } = await floor(run(), {
      could: [
        could(7, 'Fid', {
          sooner: [{ job_id: 27, title: 'Fid', minutes: 90, late: false }],
          delays: [
            { job_id: 23, title: 'Cleat', minutes: 20, late: false },
            { job_id: 28, title: 'Oar', minutes: 10, late: true },
            { job_id: 29, title: 'Fender', minutes: 5, late: false },
          ],
        }),
        ...[8, 9, 10].map((id) => could(id, `Part ${id}`)),
        could(11, 'Hull', { against: 'there is no room for it' }),
      ],
    })
    await press('ArrowRight')
    const said = w.find('[data-guest="7"]').text()
    expect(said).toContain(
      'one start less, 3 min less of the machine, Fid 1 h 30 min sooner, Oar 10 min later, ' +
        'too late for its day, Cleat 20 min later, and 1 more',
    )
    expect(w.find('[data-guest="7"] .lateword').exists()).toBe(true)
    expect(w.find('[data-guest="8"] .lateword').exists()).toBe(false)
    expect(w.find('.mates').text()).toContain('And Part 10')
    expect(w.find('.not').text()).toContain('Hull (there is no room for it)')
    await press('j', true)
    expect(asked(), 'nothing is on it that could be taken out').toEqual([])
    await press('j')
    await w.find('[data-guest="9"] button').trigger('click')
    await flushPromises()
    expect(asked()).toEqual([
      ['POST', '/runs/3/beside', { run_id: 7 }],
      ['POST', '/runs/3/beside', { run_id: 9 }],
    ])
  })

  it('says how far it is, offers nothing meanwhile, and why it cannot be', async () => {
    const { w } = await floor(run(), {
      could: [could(7, 'Fid')],
      made: [{ slice_id: 5, with: 'Cleat + Oar', state: 'running', fraction: 0.42 }],
    })
    await press('ArrowRight')
    expect(w.find('.mates').text()).toContain('Cleat + Oar are sliced as one plate, 42 %')
    expect(w.find('[data-guest]').exists()).toBe(false)
    await press('j')
    await w.find('.mates .link').trigger('click')
    await flushPromises()
    expect(asked()).toEqual([['DELETE', '/slices/5', undefined]])
    w.unmount()
    server.asked = []
    const after = (
      await floor(run(), {
        could: [could(7, 'Fid')],
        made: [{ slice_id: 5, with: 'Cleat + Oar', state: 'failed', fraction: 0.9, error: 'No room.' }],
      })
    ).w
    await press('ArrowRight')
    expect(after.find('.mates').text()).toContain('Cleat + Oar do not go on one plate: No room.')
    expect(after.find('[data-guest]').exists(), 'another may').toBe(true)
    await after.find('.mates .link').trigger('click')
    await flushPromises()
    expect(asked()).toEqual([['POST', '/slices/5/remove', undefined]])
  })

  it('shows whose lie on it, takes one out, and goes to no other machine', async () => {
    const share = (job_id: number, title: string, late = false) => ({
      job_id,
      title,
      member: 'Nia',
      seconds: 1200,
      grams: 2,
      price_cents: 150,
      needed_by: '2026-11-27',
      late,
    })
    const shares = [share(23, 'Cleat'), share(27, 'Fid', true)]
    const { w } = await floor(run({ shares }), {})
    await press('ArrowRight')
    expect(w.find('.run').text()).toContain('Cleat + Fid')
    expect(w.find('.run').text()).toContain('2 jobs')
    expect(w.find('.detail .title').text()).toBe('Cleat + Fid')
    expect(w.find('.detail').text()).not.toContain('To M2')
    expect(w.findAll('[data-share]').map((l) => l.find('.lateword').exists())).toEqual([false, true])
    await press('j', true)
    await w.find('[data-share="23"] button').trigger('click')
    await flushPromises()
    expect(asked()).toEqual([
      ['POST', '/runs/3/take-out', { job_id: 27 }],
      ['POST', '/runs/3/take-out', { job_id: 23 }],
    ])
    w.unmount()
    const printing = (await floor(run({ shares, movable: false, state: 'printing' }), {})).w
    await press('ArrowRight')
    expect(printing.findAll('[data-share]')).toHaveLength(2)
    expect(printing.find('[data-share] button').exists(), 'it prints').toBe(false)
  })
})

const slice = (id: number, more: object = {}): SliceView =>
  ({
    id,
    piece_id: 9,
    version: 1,
    machine_id: 1,
    machine: 'Bowline',
    label: '',
    overrides: [],
    support_marks: [],
    overhangs: [],
    scale: 1,
    tip: '',
    chosen: false,
    state: 'done',
    fraction: 1,
    error: '',
    notes: [],
    at: '2026-11-26T10:00:00Z',
    plates: [{ n: 1, spots: [{ piece_id: 9, copy: 1, x_mm: 5, y_mm: 6, turn_deg: 0 }], by_layer: [] }],
    full: {
      seconds: 3600 + 600 * id,
      grams: 10 + id,
      price_cents: 200,
      seconds_by_kind: { infill: 600, 'outer shell': 1800 },
      warm_up_seconds: 300,
      grams_support: 1,
      support_cm3: 0.8,
      grams_purge: 0,
      grams_adhesion: 0,
      by_layer: [],
      nozzles: [],
    },
    ...more,
  }) as never

describe('the slices of a piece', () => {
  const serve = (slices: SliceView[]) => {
    server.answers['/pieces/9/slices'] = slices
    server.answers['/settings'] = {
      machine: [],
      material: [],
      recipe: [
        {
          key: 'shells',
          name: 'Shells',
          text: 'Outline passes',
          type: 'whole number',
          least: 1,
          most: 20,
          also: ['walls'],
        },
        {
          key: 'seam',
          name: 'Seam',
          text: 'Where outlines begin',
          type: 'choice',
          choices: ['at the back', 'closest'],
        },
      ],
    }
    server.answers['/house'] = {
      recipes: [{ machine_id: 1, data: { purpose: 'everyday', shells: 2, seam: 'at the back' } }],
    }
  }
  const shown = { job: jobView(9), piece: piece(9), row: row(1, 'Bowline'), may: true }
  const draft = { overrides: [], marks: [], places: [], pins: null }
  const desk = (slices: SliceView[]) => {
    serve(slices)
    return part(LayersPanel, { ...shown, draft })
  }
  const settings = (slice?: SliceView) => {
    localStorage.clear()
    serve([])
    return part(SettingsPanel, { ...shown, slice, seen: true })
  }
  it('lie on plates, each to be looked at, with what every copy takes', async () => {
    const spot = (copy: number, x_mm: number) => ({
      piece_id: 9,
      copy,
      x_mm,
      y_mm: 40,
      turn_deg: 0,
      seconds: 900,
      grams: 3.5,
    })
    const w = await desk([
      slice(1, {
        plates: [
          { n: 1, spots: [spot(1, 30), spot(2, 60)], by_layer: [] },
          { n: 2, spots: [spot(3, 110)], by_layer: [] },
        ],
      }),
    ])
    expect(w.find('.variants li').text()).toContain('3 copies on 2 plates')
    expect(w.findAll('.tabs button').map((b) => [b.text(), b.attributes('aria-pressed')])).toEqual([
      ['Plate 1 × 2', 'true'],
      ['Plate 2 × 1', 'false'],
    ])
    expect(w.findAll('details td').map((d) => d.text())).toEqual([
      'part-9.stl 1',
      '30, 40 mm',
      '15 min',
      '3.5 g',
      'part-9.stl 2',
      '60, 40 mm',
      '15 min',
      '3.5 g',
    ])
    expect(w.find('#gcode').attributes('href')).toBe('/api/slices/1/gcode?plate=1')
    await w.findAll('.tabs button')[1]!.trigger('click')
    expect(w.emitted('update:plate')).toEqual([[2]])
  })
  it('are those of the version and machine looked at, the last one done in view', async () => {
    const w = await desk([
      slice(1, { chosen: true }),
      slice(2, { overrides: [{ key: 'shells', was: '2', value: '3', why: 'stiff', who: 'Cato' }] }),
      slice(3, { machine_id: 2 }),
      slice(4, { of: 'pieces have changed' }),
      slice(5, { state: 'cancelled' }),
      slice(6, { state: 'failed', full: undefined, error: 'too thin' }),
      slice(7, { state: 'set aside', full: undefined, error: 'begun too often' }),
    ])
    expect(w.findAll('.variants .name').map((b) => b.text())).toEqual([
      'house recipe',
      'Shells 3',
      'house recipe',
      'house recipe',
    ])
    expect(w.find('.variants li.on').text()).toContain('+10 min, +1.0 g')
    expect(w.find('.diff').text()).toContain('Shells 2 → 3')
    expect(w.findAll('.bad').map((b) => b.text())).toEqual([
      expect.stringMatching(/^■ too thin/),
      expect.stringMatching(/^■ Set aside. begun too often/),
    ])
    expect(w.text()).not.toContain('Not sliced yet')
    const kinds = w.findAll('.kinds tr').map((r) => r.findAll('td').map((d) => d.text()))
    expect(kinds.slice(0, 4)).toEqual([
      ['outer shell', '30 min', '38 %'],
      ['infill', '10 min', '13 %'],
      ['warm-up', '5 min', '6 %'],
      ['together', '1 h 20 min', '12.0 g'],
    ])
    expect(kinds[4]).toEqual(['of it support', '0.8 cm³', '1.0 g'])
    await w.findAll('.variants li')[1]!.find('.link').trigger('click')
    await w.find('.slice-again').trigger('click')
    await w.findAll('.variants li')[0]!.find('button').trigger('click')
    await w.find('#savings').trigger('click')
    await flushPromises()
    expect(server.asked).toEqual([
      ['POST', '/slices/2/choose', undefined],
      ['POST', '/slices/6/again', undefined],
      ['POST', '/slices/1/savings', undefined],
    ])
    expect(w.find('#gcode').attributes('href')).toBe('/api/slices/1/gcode?plate=1')
  })
  it('are asked for with a value and a reason for each override', async () => {
    const none = await desk([])
    expect(none.text()).toContain('Not sliced yet on this machine')
    const w = await settings()
    const find = async (words: string) => w.find('#setting-search').setValue(words)
    expect(w.findAll('.found').length).toBe(0)
    await find('OUTLINE')
    expect(w.findAll('.found strong').map((x) => x.text())).toEqual(['Shells', 'Seam'])
    expect(w.find('.found').text()).toContain('1 to 20')
    await find('walls')
    expect(w.findAll('.found strong').map((x) => x.text())).toEqual(['Shells'])
    await w.find('.found button').trigger('click')
    await w.find('.override input').setValue('3')
    await press('l')
    expect(server.asked, 'no reason yet').toEqual([])
    expect(w.emitted('open')).toHaveLength(1)
    await w.find('.override .why').setValue('stiff')
    await press('l')
    expect(server.asked).toEqual([
      [
        'POST',
        '/pieces/9/slices',
        { machine_id: 1, overrides: [{ key: 'shells', value: '3', why: 'stiff' }], support_marks: [] },
      ],
    ])
  })
  it('show how far they are, and are cancelled; overhangs is looked at and marked', async () => {
    const at = {
      why: 'a roof',
      corners_mm: [0, 1, 2, 3].map((x) => [x, x % 2, 0]),
      min_mm: [0, 0, 4.5],
      max_mm: [1, 1, 5],
      area_mm2: 20,
    }
    const w = await desk([
      slice(1, {
        overhangs: [
          { ...at, carried: true },
          { ...at, carried: false, corners_mm: [9, 8, 7, 6].map((x) => [x, x, 9]) },
        ],
      }),
      slice(2, { state: 'running', fraction: 0.42, full: undefined }),
    ])
    expect(w.find('.slice-percent').text()).toBe('42 %')
    await w.find('.slice-cancel').trigger('click')
    expect(server.asked).toEqual([['DELETE', '/slices/2', undefined]])
    expect(w.findAll('h3').at(-1)!.text()).toBe('Overhangs 2')
    expect(w.findAll('.hangs .place').map((b) => b.text())).toEqual(['▲ 4.5 mm up, 20 mm²', '△ 4.5 mm up, 20 mm²'])
    await w.find('.hangs .place').trigger('click')
    expect(w.emitted('look')?.[0]).toMatchObject([{ carried: true }])
    expect(w.findAll('.hangs .link').map((b) => b.text())).toEqual(['keep it out', 'put it in'])
    await w.find('.hangs .link').trigger('click')
    expect(w.emitted('mark')).toEqual([[expect.objectContaining({ why: 'a roof', carried: true }), false]])
  })
  it('are asked for with places filled otherwise, support by hand, and each step taken back', async () => {
    const at = {
      why: 'a roof',
      corners_mm: [0, 1, 2, 3].map((x) => [x, x % 2, 0]),
      min_mm: [0, 0, 4.5],
      max_mm: [1, 1, 5],
      area_mm2: 20,
    }
    const from = slice(3, { overrides: [{ key: 'shells', was: '2', value: '3', why: 'stiff', who: 'Cato' }] })
    const w = await settings(from)
    const hand = w.vm as unknown as {
      mark: (o: unknown, putIn: boolean) => void
      place: (at: [number, number, number]) => void
    }
    hand.mark({ ...at, carried: true }, false)
    hand.place([1, 2, 3])
    await flushPromises()
    expect(w.findAll('.override strong').map((x) => x.text())).toEqual([
      'Shells',
      'Support kept out by hand',
      'A place at 1.0, 2.0, 3.0 mm',
    ])
    await w.find('.mark .why').setValue('it would scar')
    const say = async (what: string, value: string) => w.find(`[aria-label="${what}"]`).setValue(value)
    await say('Reason for place 1', 'it broke there')
    await press('l')
    expect(server.asked, 'neither shells nor infill yet').toEqual([])
    await say('Shells in place 1', '2.5')
    await press('l')
    expect(server.asked, 'no whole number').toEqual([])
    await say('Shells in place 1', '4')
    await say('Infill in place 1', '60')
    await say('Edge of place 1', '2')
    await press('l')
    const corner = (n: number) => [n & 1 ? 2 : 0, n & 2 ? 3 : 1, n & 4 ? 4 : 2]
    expect(server.asked).toEqual([
      [
        'POST',
        '/pieces/9/slices',
        {
          machine_id: 1,
          overrides: from.overrides,
          support_marks: [{ corners_mm: [0, 1, 2, 3].map((x) => [x, x % 2, 0]), put_in: false, why: 'it would scar' }],
          regions: [
            {
              corners_mm: [0, 1, 2, 3, 4, 5, 6, 7].map(corner),
              shells: 4,
              infill_percent: 60,
              why: 'it broke there',
            },
          ],
        },
      ],
    ])
    for (let k = 0; k < 7; k++) await press('Backspace')
    await flushPromises()
    expect(w.findAll('.override strong').map((x) => x.text())).toEqual(['Shells', 'Support kept out by hand'])
    await press('Backspace')
    await flushPromises()
    expect(w.findAll('.override').length).toBe(0)
    await press('Backspace', true)
    await flushPromises()
    expect(w.find('.mark').text()).toContain('kept out')
    // It is there after a reload.
    const kept = localStorage.getItem('orders of 0')
    expect(JSON.parse(kept ?? '{}')['9'].now.overrides).toHaveLength(1)
  })
  it('have names, and go', async () => {
    const w = await desk([slice(1, { chosen: true }), slice(2, { label: 'thick' })])
    expect(w.findAll('.variants .name').map((b) => b.text())).toEqual(['house recipe', 'thick'])
    await w.findAll('.acts .link')[0]!.trigger('click')
    await w.find('.naming').setValue('thick where it broke')
    await w.find('.variants form').trigger('submit')
    await flushPromises()
    await w.find('.slice-remove').trigger('click')
    await flushPromises()
    expect(server.asked).toEqual([
      ['PUT', '/slices/2', { name: 'thick where it broke' }],
      ['POST', '/slices/2/remove', undefined],
    ])
    await w.findAll('.variants .name')[0]!.trigger('click')
    expect(w.find('.slice-remove').exists(), 'what counts stays').toBe(false)
  })
})

describe('the file of a piece', () => {
  it('gives its place to another; a piece is left out and put back, but for the last', async () => {
    const two = { piece_set: [piece(9), piece(19)], left_out: [{ id: 7, name: 'lid.stl', copies: 2 }] }
    const w = await part(PieceCare, { job: jobView(9, two), piece: piece(9), mayRepair: true })
    expect(w.find('.out').text()).toContain('Left out: lid.stl × 2')
    await w.find('.leave').trigger('click')
    await flushPromises()
    await w.find('.back').trigger('click')
    await flushPromises()
    expect(server.asked).toEqual([
      ['PUT', '/pieces/9', { revision: 7, left_out: true }],
      ['PUT', '/pieces/7', { revision: 7, left_out: false }],
    ])
    await w.setProps({ job: jobView(9) })
    expect(w.find('.leave').exists()).toBe(false)
    await w.setProps({ job: jobView(9, { state: 'approved', may: may('approved') }) })
    expect(w.find('.file').exists(), 'settled').toBe(false)
  })
})

describe('a day', () => {
  it.each([
    ['en-GB', '03/12/2026', '2026-12-03'],
    ['de-DE', '3.12.2026', '2026-12-03'],
    ['en-US', '12/3/26', '2026-12-03'],
    ['en-GB', '31/12/2026', '2026-12-31'],
    ['en-GB', '', ''],
    ['en-GB', 'soon', '2026-01-02'],
  ])('in %s, typed as %s, is %s', async (locale, typed, day) => {
    server.answers['/house'] = { house: { locale, currency: 'EUR', time_zone: 'UTC' } }
    let now = '2026-01-02'
    const Field = defineComponent({
      setup: () => () =>
        h(DateField, { modelValue: now, label: 'Needed by', 'onUpdate:modelValue': (v: string) => (now = v) }),
    })
    const w = await part(Field, {})
    const field = w.find<HTMLInputElement>('input')
    expect(w.find('label').text()).toBe('Needed by')
    field.element.value = typed
    await field.trigger('blur')
    expect(now).toBe(day)
  })
})

describe('the care of a piece', () => {
  it('takes a unit, makes a repaired version of the steps chosen, and lets one count', async () => {
    const versions = [1, 2].map((n) => ({ n, log: [], surface: piece(9).surface }))
    const of = {
      ...piece(9),
      mend: ['holes', 'weld'],
      unit_proposals: [{ unit: 'in', longest_mm: 254, machines: 1 }],
      versions,
    }
    const w = await part(PieceCare, { job: jobView(9), piece: of, mayRepair: true })
    expect(w.text()).toContain('254.0 mm long, fits 1 machine')
    await w.find('[data-unit=in]').trigger('click')
    await flushPromises()
    await w.findAll('[type=radio]')[0]!.trigger('change')
    await flushPromises()
    await w.find('#repair').trigger('click')
    await w.find('.steps').trigger('submit')
    await flushPromises()
    expect(server.asked).toEqual([
      ['PUT', '/pieces/9', { revision: 7, unit: 'in' }],
      ['PUT', '/pieces/9', { revision: 7, current: 1 }],
      ['POST', '/pieces/9/repair', { revision: 7, steps: ['weld', 'holes'] }],
    ])
    for (const state of ['arrived', 'approved', 'to decide']) {
      await w.setProps({
        job: jobView(9, {
          state,
          may: may(state),
          check: { state: state === 'arrived' ? 'running' : 'done', fraction: 0, error: '', doing: '' },
        }),
        mayRepair: state !== 'arrived',
      })
      await flushPromises()
      asItWas()
    }
    expect(w.findAll('.versions th').map((t) => t.text())).toEqual(['As it came', 'Version 2'])
    expect(w.findAll('.versions a').map((a) => a.attributes('href'))).toEqual(
      [1, 2].map((n) => `/api/pieces/9/file?version=${n}`),
    )
  })
})

describe('the ladder of orientations', () => {
  const turned = (machine: number, name: string, way: string, more: Partial<LadderRow> = {}) =>
    row(machine, name, { way, turns: [{ piece_id: 9, turn: [0, 1, 0, 0] }], finish: '2026-12-01T10:00:00Z', ...more })
  const rows = [
    turned(1, 'Bowline', 'on its head', { seconds: 3000, price_cents: 200 }),
    turned(2, 'Capstan', 'on its head', {
      seconds: 3600,
      price_cents: 240,
      load: 'PETG is loaded, the recipe wants PLA',
    }),
    turned(1, 'Bowline', 'on its side', { seconds: 7200, price_cents: 300, finish: '2026-12-01T09:00:00Z' }),
    ...[1, 2, 3].map((n) => turned(n, `Spare ${n}`, 'leaning', { seconds: 9000 + n })),
    turned(3, 'Halyard', 'on its head', { takes: false, fits: false, over_mm: [12, 0, 0], scale_to_fit: 0.9436 }),
  ]
  const beside = row(1, 'Bowline', { seconds: 3600, price_cents: 240 })

  it('tells what each would take beside the one that is chosen, and stands it so by key', async () => {
    const chosen = vi.fn()
    const w = await part(WayLadder, { job: jobView(9, { ways: { rows, tried: 5, of: 5 } }), beside, onChoose: chosen })
    const cells = () => w.findAll('tbody tr').map((r) => r.text().replace(/\s+/g, ' '))
    expect(cells()).toHaveLength(4)
    expect(cells()[0]).toMatch(/^Bowline ?on its head.*50 min ?−10 min.*2\.00 ?−.*0\.40/)
    expect(cells()[1]).toMatch(/PETG is loaded.*as long.*as much/)
    expect(w.text()).toContain('3 more')
    await press('Shift+t')
    expect(server.asked).toEqual([])
    await press('t')
    await press('t')
    await press('Shift+t')
    expect(server.asked).toEqual([['POST', '/jobs/9/turn', { revision: 7, turns: rows[1]!.turns }]])
    expect(chosen.mock.calls).toEqual([[2]])
    for (let i = 0; i < 4; i++) await press('t')
    expect(w.find('.here').text(), 'past the few it shows all').toContain('Spare 3')
    expect(cells()[6]).toContain('12.0 mm over in X; fits at 94.3 %')
    await press('t')
    expect(w.find('.here').text(), 'and round').toContain('on its head')
    await w.findAll('tbody tr')[6]!.trigger('click')
    expect(w.find('.here').text(), 'what does not take it may be looked at').toContain('Halyard')
    expect(w.find('.here button').exists()).toBe(false)
  })
  it('is in the order that was chosen in the ladder, takes nothing where that is settled, and says how far it is', async () => {
    const settled = (ways: JobView['ways']) => jobView(9, { ways, may: may('approved') })
    const w = await part(WayLadder, { job: settled({ rows: rows.slice(0, 3), tried: 3, of: 5 }) })
    expect(w.find('[role=status]').text()).toBe('Trying orientations: 3 of 5 …')
    await press('t')
    await press('Shift+t')
    expect(server.asked).toEqual([])
    const ladder = await part(MachineLadder, {
      rows: [row(1, 'Slow', { seconds: 9 }), row(2, 'Quick', { seconds: 5 }), row(3, 'None', { takes: false })],
    })
    const names = () => ladder.findAll('tbody strong').map((x) => x.text())
    expect(names()).toEqual(['Slow', 'Quick', 'None'])
    await ladder.findAll('th button')[0]!.trigger('click')
    expect(names()).toEqual(['Quick', 'Slow', 'None'])
    expect(ladder.findAll('th')[1]!.attributes('aria-sort')).toBe('ascending')
    await ladder.findAll('th button')[0]!.trigger('click')
    expect(names()).toEqual(['Slow', 'Quick', 'None'])
    await w.setProps({ job: settled({ rows: [], tried: 5, of: 5 }) })
    expect(w.text()).toContain('No machine in service takes it otherwise.')
    await w.setProps({ job: settled({ rows: [], tried: 0, of: 0 }) })
    expect(w.find('section').exists()).toBe(false)
  })
})

describe('signing in', () => {
  it.each([
    [false, 'login'],
    [true, 'password'],
  ])('again %s, has the focus at once', async (again, id) => {
    await part(SignIn, { again })
    expect(document.activeElement?.id).toBe(id)
  })
})

describe('a bed', () => {
  const bed = {
    machine_id: 1,
    machine: 'Bowline',
    cell_mm: 10,
    min_mm: [0, 0],
    wide: 3,
    deep: 2,
    hours: [0, 4, 0, 0, 8, 1],
    runs: 10,
    since: '2026-11-20T10:00:00Z',
    worn_hours: 8,
    revision: 5,
  }
  it('shows where it is worn, its front below, and is turned or renewed as it was seen', async () => {
    server.answers['/machines/1/bed'] = bed
    const w = await part(BedMap, { machineId: 1, round: false, mayTurn: true })
    expect(w.text()).toContain('10 runs since Fri 20 Nov, up to 8.0 h on one spot; 1 cm² are kept free, from 8.0 h on.')
    expect(w.findAll('.cell').map((c) => [c.attributes('x'), c.attributes('y'), c.classes('worn')])).toEqual([
      ['1', '1', false],
      ['1', '0', true],
      ['2', '0', false],
    ])
    expect(
      w.findAll('.acts button').map((b) => b.text()),
      'it is not square',
    ).toEqual(['turned by half', 'a new bed'])
    for (const b of w.findAll('.acts button')) {
      await b.trigger('click')
      await flushPromises()
    }
    expect(server.asked).toEqual([
      ['POST', '/machines/1/bed/turn', { revision: 5, quarters: 2 }],
      ['POST', '/machines/1/bed/renew', { revision: 5 }],
    ])
    server.answers['/machines/2/bed'] = {
      ...bed,
      machine_id: 2,
      wide: 2,
      deep: 2,
      hours: [0, 0, 0, 0],
      runs: 0,
      since: undefined,
      revision: 0,
    }
    await w.setProps({ machineId: 2, round: true })
    await flushPromises()
    expect(w.text()).toContain('Nothing has lain on it.')
    expect(w.find('.acts').exists(), 'nothing to turn').toBe(false)
    server.answers['/machines/2/bed'] = { ...bed, machine_id: 2, wide: 2, deep: 2, hours: [1, 0, 0, 0], runs: 1 }
    const member = await part(BedMap, { machineId: 2, round: true, mayTurn: false })
    expect(member.find('.acts').exists()).toBe(false)
  })
})

describe('what would save time', () => {
  it('tells what each saves, most first, takes one, and removes what is neither taken nor being made', async () => {
    const of = (id: number, label: string, seconds: number | undefined, more: object = {}) => ({
      id,
      label,
      base_id: 1,
      chosen: false,
      state: seconds === undefined ? 'running' : 'done',
      fraction: 0.4,
      error: '',
      full: seconds === undefined ? undefined : { seconds, grams: 10 + id, price_cents: 100 + id },
      ...more,
    })
    const base = of(1, 'house recipe', 7200, { base_id: undefined })
    const all = [
      base,
      of(2, 'one shell less', 6600),
      of(3, 'thicker layers', 3600, { chosen: true }),
      of(5, 'a tenth smaller', 7000, { state: 'failed', full: undefined, error: 'It is too thin.' }),
    ]
    const pick = vi.fn()
    const w = await part(SavingsList, { base, all, may: true, onPick: pick })
    expect(w.findAll('li').map((l) => l.attributes('data-label'))).toEqual([
      'thicker layers',
      'one shell less',
      'a tenth smaller',
    ])
    expect(w.findAll('li')[0]!.text()).toContain('1 h 00 min')
    expect(w.findAll('.remove').map((b) => b.attributes('aria-label'))).toEqual([
      'Remove one shell less',
      'Remove a tenth smaller',
    ])
    await w.findAll('.remove')[1]!.trigger('click')
    await flushPromises()
    await w.findAll('.take')[1]!.trigger('click')
    await flushPromises()
    expect(pick.mock.calls).toEqual([[2]])
    expect(server.asked).toEqual([
      ['POST', '/slices/5/remove', undefined],
      ['POST', '/slices/2/choose', undefined],
    ])
    await w.setProps({ all: [base, of(4, 'less infill', undefined)], may: true })
    expect(w.find('li').text()).toContain('40 %')
    expect(w.find('.remove').exists(), 'it is being made').toBe(false)
    await w.setProps({ all: [base, of(2, 'one shell less', 6600)], may: false })
    expect(w.find('.remove').exists()).toBe(false)
    // A plate of another job's is no slice to look at: to take it is a yes.
    await w.setProps({ all: [base, of(6, 'together with Cleat', 7000, { together: true })] })
    expect(w.find('.take').text()).toBe('yes to it')
    await w.find('.take').trigger('click')
    await flushPromises()
    expect(pick.mock.calls.at(-1)).toEqual([1])
    expect(server.asked.at(-1)).toEqual(['POST', '/slices/6/choose', undefined])
  })
})

describe('a slip', () => {
  it('tells what matters of a job, and which mark is late', async () => {
    const w = await part(JobSlip, {
      to: '/bench/4',
      slip: slip(4, 'approved', {
        pieces: 3,
        seconds: 5400,
        grams: 12.34,
        price_cents: 250,
        needed_by: '2026-12-01',
        late: true,
        finish: '2026-12-02T10:00:00Z',
        worst: { grade: 'decide', check: 'thin', text: 'thin here' } as never,
      }),
    })
    expect(w.text()).toContain('Nia Marlow, 3 pieces')
    expect(w.findAll('.facts .num').map((x) => x.text())).toEqual([
      '1 h 30 min',
      '12.3 g',
      expect.stringContaining('2.50'),
    ])
    expect(w.find('.due').classes()).toContain('late')
    await w.setProps({
      slip: slip(4, 'approved', {
        needed_by: '2026-12-02',
        finish: '2026-12-02T10:00:00Z',
        check: { state: 'running', fraction: 0.5, error: '', doing: 'reading' },
      }),
    })
    expect(w.find('.due').text()).toMatch(/^by/)
    expect(w.findAll('.facts .num').map((x) => x.text())).not.toContain('1 h 30 min')
  })
})

describe('the machine ladder', () => {
  it('says of each machine what it takes, or why not', async () => {
    const w = await part(MachineLadder, {
      chosen: 2,
      rows: [
        row(1, 'Bowline', { seconds: 3660, grams: 12, price_cents: 240 }),
        row(2, 'Capstan', { proposed: true }),
        row(3, 'Halyard', { fits: false, over_mm: [12, 0, 0], scale_to_fit: 0.9436 }),
        row(4, 'Sheave', { in_service: false }),
        row(5, 'Thimble', { seconds: undefined, takes: false }),
      ],
    })
    const rows = w.findAll('tbody tr')
    expect(
      rows.map((r) =>
        r
          .findAll('td')
          .slice(1)
          .map((d) => d.text())
          .join('|'),
      ),
    ).toEqual([
      expect.stringMatching(/^1 h 01 min\|12.0 g\|.*2.40/),
      expect.stringContaining('◆ proposed'),
      expect.stringMatching(/✕ .*12.* mm.*; fits at 94.3 %/),
      'Not yet in service',
      'No recipe for this purpose',
    ])
    for (const r of rows) await r.trigger('click')
    expect(w.emitted('choose')).toEqual([[1], [2]])
    expect(w.findAll('tr.chosen').map((r) => r.find('strong').text())).toEqual(['Capstan'])
    await w.setProps({ locked: true })
    await rows[0]!.trigger('click')
    await w.setProps({ look: true })
    await rows[2]!.trigger('click')
    expect(w.emitted('choose')?.slice(2), 'locked: none; to look at: any').toEqual([[3]])
  })
})

describe('the house', () => {
  it('shows its drawers, and is saved with hours and fees as they were typed', async () => {
    server.answers['/session'] = { id: 1, name: 'Cato', role: 'steward' }
    const of = (id: number, data: object) => ({ id, revision: 1, data })
    server.answers['/house'] = {
      house: loft,
      machines: ['Bowline', 'Capstan'].map((name, k) => of(k + 1, machineNamed(name))),
      materials: [of(1, { name: 'PLA', density_g_per_cm3: 1.24, spool_grams: 1000, spool_cents: 2450 })],
      recipes: [
        of(1, { name: 'Bowline everyday', material: 'PLA', layer_mm: 0.2, shells: 2, infill_percent: 15 }),
        of(2, { name: 'Bowline quick', material: 'PLA', layer_mm: 0.3, shells: 1, infill_percent: 10 }),
      ],
      texts: { file_names: [], block_names: [], ends: '', start: '', end: '', change: '' },
    }
    server.answers['/settings'] = { ...described, recipe: [] }
    const { w } = await room(HouseRoom)
    const cells = () =>
      w.findAll('.entries tbody tr').map((r) =>
        r
          .findAll('td')
          .map((d) => d.text())
          .join('|'),
      )
    expect(cells()[0]).toMatch(/^Bowlinematerial extrusion\|⌀ 200 × 180 mm\|0.4, 0.6 mm\|grey PLA\|.*1.20/)
    expect(w.find('form h2').text()).toBe('Bowline')
    await w.findAll('.entries tbody tr')[1]!.trigger('click')
    expect(w.find('form h2').text()).toBe('Capstan')
    expect(w.find('form').text()).toContain('EUR')
    await press('d')
    expect(cells()[0]).toMatch(/^PLA\|1.24 g\/cm³\|1,?000 g\|.*24.50\|2.45 ct/)
    await press('d')
    expect(cells()).toEqual(['Bowline everyday|PLA|0.20 mm|2|15 %', 'Bowline quick|PLA|0.30 mm|1|10 %'])
    await w.findAll('.entries tbody button')[1]!.trigger('click')
    await flushPromises()
    expect(w.find('form h2').text()).toBe('Bowline quick')
    // By infill, from the least: by the number, not by its spelling.
    await w.findAll('.entries th')[4]!.trigger('click')
    expect(cells()[0]).toMatch(/^Bowline quick/)
    await w.findAll('.entries th')[4]!.trigger('click')
    expect(cells()[0]).toMatch(/^Bowline everyday/)
    for (let k = 0; k < 5; k++) await press('d') // rules, finishing, messages, people
    const field = (label: string) =>
      w.findAllComponents({ name: 'VTextField' }).find((x) => x.props('label') === label)!
    expect(field('Monday').props('modelValue')).toBe('10:00–18:00')
    await field('Sunday').find('input').setValue('9 to noon')
    await w.find('form').trigger('submit')
    expect(w.find('p.problem').text()).toContain('Sunday: write hours as')
    await field('Sunday').find('input').setValue('09:30–12:00')
    await field('An hour sooner is worth').find('input').setValue('soon')
    await w.find('form').trigger('submit')
    expect(w.find('p.problem').text()).toContain('“soon” cannot be read as an amount')
    await field('An hour sooner is worth').find('input').setValue('1.25')
    await field('Fee for a start').find('input').setValue('0.75')
    await w.find('form').trigger('submit')
    await flushPromises()
    const { house } = server.answers['/house'] as { house: { week: object[] } }
    expect(server.asked).toEqual([
      [
        'PUT',
        '/house',
        { ...house, start_cents: 75, sooner_cents: 125, week: [[{ from: 570, to: 720 }], ...house.week.slice(1)] },
      ],
    ])
  })
})

describe('the parts', () => {
  /** As the app lays it out. */
  const laid = (what: Component) =>
    defineComponent({
      inheritAttrs: false,
      setup:
        (_, { attrs }) =>
        () =>
          h(components.VLayout, () => h(what, attrs)),
    })
  const who = (role: 'member' | 'coordinator') => ({ id: 3, name: 'Nia Marlow', role })
  const finding = (grade: string, more: object = {}) => ({
    check: 'open surface',
    grade,
    text: `It is ${grade}.`,
    piece_id: 9,
    piece: 'part-9.stl',
    value: 3,
    limit: 0,
    unit: 'edges',
    places: [
      [1, 2, 3],
      [4, 5, 6],
    ],
    ...more,
  })
  const overhang = (up: number, carried: boolean) => ({
    why: `a roof ${up} up`,
    corners_mm: [[0, 0, up]],
    min_mm: [0, 0, up],
    max_mm: [1, 1, up + 1],
    area_mm2: 7.5 * up,
    carried,
  })
  it.each([
    ['the band', TopBand, { who: who('member') }],
    ['the band of the desk', TopBand, { who: who('coordinator') }],
    ['signing in', SignIn, {}],
    [
      'findings',
      FindingList,
      { findings: ['stops it', 'decide', 'worth knowing'].map((g) => finding(g)), several: true, messages: true },
    ],
    ['findings alone', FindingList, { findings: [finding('decide', { places: null, mend: ['weld'] })] }],
    ['no findings', FindingList, { findings: [] }],
    [
      'overhangs',
      OverhangList,
      {
        overhangs: [1, 2, 3, 4, 5, 6, 7].map((n) => overhang(n, n % 2 > 0)),
        marks: [{ corners_mm: [[0, 0, 2]], put_in: false, why: 'it bends' }],
        may: true,
      },
    ],
    ['overhangs to look at', OverhangList, { overhangs: [overhang(3, true)], marks: [], may: false }],
    ['handing in', HandInPanel, { modelValue: true, who: who('member'), dropped: [] }],
    ...['queued', 'running', 'done', 'failed', 'cancelled', 'set aside'].map(
      (state) =>
        [
          `a check ${state}`,
          CheckProgress,
          { job: { id: 4, check: { state, fraction: 0.42, doing: 'reading', error: 'It fell over.' } } },
        ] as const,
    ),
  ] as const)('%s, and every button of it', async (_, what, props) => {
    Object.assign(server.answers, { '/storage': { used_bytes: 6e6, limit_bytes: 1e7 }, '/people': [who('member')] })
    const w = await part(laid(what as Component), props)
    for (let k = 0; k < w.findAll('button').length; k++) {
      await w.findAll('button')[k]!.trigger('click')
      await flushPromises()
      asItWas()
    }
    expect([w.findComponent(what as Component).emitted(), server.asked]).toMatchSnapshot()
  })
  it('what a job is for is said, and what cannot be meant is not', async () => {
    const job = jobView(7, {
      revision: 3,
      may: { ...jobView(7).may, change: true },
      use: { outdoors: true, warm_c: 60, colour: 'red' },
    })
    const w = await part(JobUse, { job })
    expect(w.text()).toContain('stays outdoors, gets 60 °C warm, in red')
    await w.find('button').trigger('click')
    const [outdoors, , load] = w.findAll<HTMLInputElement>('[type=checkbox]')
    await outdoors!.setValue(false)
    await load!.setValue(true)
    const warm = w.find('[aria-label="Gets warm to, °C"]')
    for (const [typed, told] of [
      ['400', true],
      ['hot', true],
      ['', false],
      ['72.5', false],
    ] as const) {
      await warm.setValue(typed)
      expect(w.find('[role=alert]').exists(), typed).toBe(told)
    }
    await w.find('[aria-label="Colour"]').setValue(' sea green ')
    await w.find('form').trigger('submit')
    await flushPromises()
    const use = { load: true, warm_c: 72.5, colour: 'sea green' }
    expect(server.asked).toEqual([['PUT', '/jobs/7/use', { revision: 3, use }]])
    expect(w.find('form').exists()).toBe(false)
    const settled = await part(JobUse, { job: jobView(8, { use: {} }) })
    expect(settled.text()).toContain('nothing in particular')
  })
  it('a file that is handed in, with what is said about it', async () => {
    const w = await part(laid(HandInPanel), { modelValue: true, who: who('coordinator'), dropped: [] })
    await w.setProps({ dropped: [new File(['solid'], 'a.stl'), new File(['x'.repeat(200000)], 'b.3mf')] })
    await flushPromises()
    asItWas()
    const all = <E extends Element>(css: string) => [...document.body.querySelectorAll<E>(css)]
    const set = async (e: HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement, v: string) => {
      e.value = v
      for (const type of ['input', 'change']) e.dispatchEvent(new Event(type, { bubbles: true }))
      await flushPromises()
    }
    await set(all<HTMLInputElement>('[type=number]')[0]!, '12')
    await set(all<HTMLSelectElement>('select')[1]!, 'in')
    all<HTMLInputElement>('[type=radio]')[2]!.click()
    await set(all<HTMLTextAreaElement>('textarea')[0]!, 'by noon')
    await flushPromises()
    asItWas()
  })
})

describe('the ways', () => {
  it('lead to every room, and from anywhere else to the shelf', () => {
    const router = makeRouter()
    for (const path of [...rooms.map((r) => r.path), '/counter/7', '/bench/12']) {
      expect(
        router.resolve(path).matched.map((m) => m.redirect),
        path,
      ).toEqual([undefined])
    }
    for (const path of ['/', '/nowhere', '/counter/x', '/floor/3'])
      expect(router.resolve(path).matched[0]!.redirect, path).toBe('/shelf')
    expect(new Set(rooms.map((r) => r.key)).size).toBe(rooms.length)
  })
})

describe('a new password', () => {
  it('is sent once it stands twice, and refused by its field', async () => {
    const { w } = await room(PasswordForm)
    const put = async (old: string, fresh: string, again: string) => {
      await w.find('#password-old').setValue(old)
      await w.find('#password-new').setValue(fresh)
      await w.find('#password-again').setValue(again)
      await w.find('form').trigger('submit')
      await flushPromises()
    }
    await put('so far', 'something new', 'something else')
    expect(w.text()).toContain('It is not the same as above.')
    expect(server.asked).toEqual([])
    server.refuses = {
      detail: 'validation failed',
      errors: [{ location: 'body.old', message: 'That is not your password.' }],
    }
    await put('so far', 'something new', 'something new')
    expect(w.text()).toContain('That is not your password.')
    server.refuses = undefined
    await put('so far', 'something new', 'something new')
    expect(server.asked[1]).toEqual(['PUT', '/session/password', { old: 'so far', new: 'something new' }])
    expect((w.find('#password-again').element as HTMLInputElement).value).toBe('')
  })
})

describe('notices', () => {
  it('go one by one, and none for one that is gone', () => {
    for (const n of [...notices]) hush(n.id)
    say('one')
    say('two', 'refused')
    hush(-1)
    expect(notices.map((n) => n.text)).toEqual(['one', 'two'])
    hush(notices[0]!.id)
    expect(notices.map((n) => n.text)).toEqual(['two'])
  })
})

describe('layers', () => {
  it('are read as docs/view-format.md says', () => {
    const b = new ArrayBuffer(4 * 17)
    const u = new Uint32Array(b)
    const f = new Float32Array(b)
    u[0] = 2
    f.set([0.2, 0.25], 1)
    u[3] = 1
    u[4] = (2 << 8) | 5
    f.set([0.45, 1, 2, 3, 4], 5)
    f.set([0.5, 0.3], 10)
    u[12] = 0
    const [first, second] = readLayers(b)
    expect(first).toMatchObject({
      top: expect.closeTo(0.2, 6),
      height: 0.25,
      lines: [{ kind: 5, width: expect.closeTo(0.45, 6) }],
    })
    expect([...first!.lines[0]!.points]).toEqual([1, 2, 3, 4])
    expect(second).toMatchObject({ top: 0.5, height: expect.closeTo(0.3, 6), lines: [] })
  })
})
