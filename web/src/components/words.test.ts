import { QueryClient, QueryObserver } from '@tanstack/vue-query'
import { describe, expect, it } from 'vitest'
import described from '../../../core/print/machine/testdata/settings.json'
import type { FloorView, Setting } from '../api/client'
import { refusal } from '../api/client'
import { formats } from '../composables/format'
import { readNumber } from '../composables/numbers'
import { refresh } from '../composables/refresh'
import {
  fieldsWith,
  fieldsOf,
  holds,
  hoursText,
  idle,
  parseHours,
  plainNumber,
  recipeFields,
  setAt,
  valueAt,
} from './fields'
import { moved, placeAt, shifted } from './lanes'
import { overWords } from './over'
import { boxLines, marked, markOf, middle } from './overhangs'

const f = formats('en-GB', 'EUR', 'Europe/Amsterdam')

describe('opening hours', () => {
  it.each([
    ['10-13, 14:30-21', '10:00–13:00, 14:30–21:00'],
    ['18-24', '18:00–24:00'],
    ['closed', ''],
    ['', ''],
  ])('reads %s', (text, back) => expect(hoursText(parseHours(text)!)).toBe(back))
  it.each(['10', '13-10', '10-25', '10-24:01', 'ten to two'])('refuses %s', (text) =>
    expect(parseHours(text)).toBeUndefined(),
  )
})

describe('numbers as people write them', () => {
  it.each([
    ['1.35', 1.35],
    ['1,35', 1.35],
    [' 0,4 ', 0.4],
    ['−2', -2],
    ['.5', 0.5],
    ['12', 12],
    ['1200,5', 1200.5],
    ['0,125', 0.125],
  ])('reads %s', (text, n) => expect(readNumber(text)).toBe(n))
  it.each(['', '1,350', '1.2.3', '1,2,3', '0x10', '1e3', '1_0', 'ten', '12 h', 'Infinity'])('refuses %s', (text) =>
    expect(readNumber(text)).toBeUndefined(),
  )
  it('are read and written by the house’s locale', () => {
    const de = formats('de-DE', 'EUR', 'UTC')
    expect(['1,350', '1.350', '1.35', '0.125', '1,5'].map(de.read)).toEqual([1.35, undefined, 1.35, 0.125, 1.5])
    expect([de.typed(0.4), de.typed(1.3, 2), f.typed(0.4), f.typed(1.3, 2)]).toEqual(['0,4', '1,30', '0.4', '1.30'])
  })
})

describe('entries', () => {
  it('reads and writes along a path', () => {
    const d = { motion: { speed: 1 } }
    setAt(d, 'motion.speed', 5)
    expect(valueAt(d, 'motion.speed')).toBe(5)
    expect(valueAt(d, 'nothing.here')).toBeUndefined()
  })
  it('tells what holds where a recipe leaves something out', () => {
    const drop = {
      key: 'support_vertical_gap_mm',
      name: 'Gap',
      text: 'Gap',
      type: 'number',
      unset: 'a layer',
      zero: true,
    } as const
    expect(['', 0, 0.2].map((v) => holds(drop, v === '' ? {} : { support_vertical_gap_mm: v }))).toEqual([
      'a layer',
      '0',
      '0.2',
    ])
    const bridge = {
      key: 'bridge_mm_per_s',
      name: 'Speed',
      text: 'Speed',
      type: 'number',
      unset: '0.6 of the outer shell’s',
    } as const
    expect(holds(bridge, { bridge_mm_per_s: 0 })).toBe('0.6 of the outer shell’s')
    expect(holds({ key: 'pause_mm', name: 'Heights', text: 'Heights', type: 'list' }, { pause_mm: [] })).toBe('none')
    expect(holds({ key: 'speed', name: 'Speed', text: 'Speed', type: 'number' }, { speed: 62.99999999999999 })).toBe(
      '63',
    )
  })
  it('asks of a machine only what it has', () => {
    const asked = (d: object) =>
      fieldsOf(described.machine as Setting[])
        .filter((x) => x.only?.(d as never) ?? true)
        .map((x) => x.path)
    const printer = { process: 'material extrusion', nozzles_mm: [0.4] }
    expect(asked(printer)).toContain('idle_off_s')
    expect(asked({ process: 'vat photopolymerization' })).not.toContain('idle_off_s')
    expect(asked({ ...printer, nozzles_mm: [0.4, 0.6] }).filter((p) => !asked(printer).includes(p))).toEqual([
      'second.material',
      'second.colour_name',
      'change_s',
      'dialect.change',
    ])
  })
  it('puts a refusal beside its field', () => {
    const r = refusal(422, {
      detail: 'validation failed',
      errors: [{ location: 'body.data.layer_mm', message: 'too thick' }],
    })
    expect(r.fields).toEqual({ layer_mm: 'too thick' })
    expect(r.message).toBe('layer_mm: too thick')
  })
})

describe('overhangs', () => {
  const corners = [0, 1, 2, 3, 4, 5, 6, 7].map((k) => [k & 1 ? 4 : 0, k & 2 ? 6 : 0, k & 4 ? 8 : 2])
  const overhang = { corners_mm: corners, why: '', carried: true, area_mm2: 24, min_mm: [0, 0, 2], max_mm: [4, 6, 8] }
  it('is drawn as a box of twelve edges about its middle', () => {
    const lines = boxLines(corners)
    expect(lines).toHaveLength(12)
    const lengths = lines
      .map(([ax, ay, az, bx, by, bz]) => Math.abs(ax! - bx!) + Math.abs(ay! - by!) + Math.abs(az! - bz!))
      .sort()
    expect(lengths).toEqual([4, 4, 4, 4, 6, 6, 6, 6, 6, 6, 6, 6])
    expect(middle(corners)).toEqual([2, 3, 5])
    expect(boxLines([])).toEqual([])
    expect(boxLines(corners.slice(0, 4)), 'a face is no box').toEqual([])
  })
  it('is marked once, and changed by marking it again', () => {
    const once = marked([], overhang, false)
    expect(once).toEqual([{ corners_mm: corners, put_in: false, why: '' }])
    const twice = marked(once, { ...overhang, corners_mm: structuredClone(corners) }, true)
    expect(twice).toHaveLength(1)
    expect(markOf(twice, overhang)?.put_in).toBe(true)
  })
})

it('makes a recipe’s form of what can be set, and finds a setting by its words', () => {
  const fields = recipeFields([
    {
      key: 'support_horizontal_gap_mm',
      name: 'How far support stays from walls',
      text: 'How far support stays from walls',
      type: 'number',
      unit: 'mm',
      unset: '1.5 lines',
    },
    {
      key: 'support',
      name: 'Where support may stand',
      text: 'Where support may stand',
      type: 'choice',
      choices: ['off', 'everywhere'],
    },
    {
      key: 'pause_mm',
      name: 'Heights at which the machine waits',
      text: 'Heights at which the machine waits',
      type: 'list',
      unit: 'mm',
    },
  ])
  expect(fields.map((x) => x.kind)).toEqual(['text', 'number', 'choice', 'numbers'])
  expect(fieldsWith(fields, 'support  GAP').map((x) => x.path)).toEqual(['support_horizontal_gap_mm'])
  expect(fieldsWith(fields, '')).toHaveLength(4)
  expect(fieldsWith(fields, 'colour')).toEqual([])
  const [gap] = recipeFields([
    { key: 'support_horizontal_gap_mm', name: 'Gap', text: 'Gap', type: 'number', with: 'support' },
  ]).slice(1)
  expect(['off', 'none', 0, 'everywhere', 2].map((support) => idle(gap!.needs, { support }))).toEqual([
    true,
    true,
    true,
    false,
    false,
  ])
  expect(idle(fields[2]!.needs, {})).toBe(false)
})

it('asks again for what was being asked for when it changed', async () => {
  const queries = new QueryClient()
  let state = 'running'
  const asked: (() => void)[] = []
  const shown: unknown[] = []
  const observer = new QueryObserver(queries, {
    queryKey: ['job', 2],
    queryFn: () => {
      const answer = state // as it is when the server is asked
      return new Promise<string>((done) => asked.push(() => done(answer)))
    },
  })
  const stop = observer.subscribe((r) => shown.push(r.data))
  state = 'done'
  const ready = refresh(queries, ['job', 2])
  const answered = setInterval(() => asked.splice(0).forEach((a) => a()), 1)
  await ready
  clearInterval(answered)
  expect(shown.at(-1)).toBe('done')
  stop()
})

it('dimensions only what is over, and a disc once', () => {
  expect(overWords({ over_mm: [12.36, 0, 3], shape: 'rectangle' }, f)).toBe('12.4 mm over in X, 3.0 mm over in Z')
  expect(overWords({ over_mm: [5, 5, 0], shape: 'round' }, f)).toBe('5.0 mm over in diameter')
})

describe('lanes', () => {
  const run = (id: number, machine_id: number, from: number, state = 'planned') =>
    ({
      id,
      machine_id,
      state,
      movable: state === 'planned',
      start: new Date(from * 3600e3).toISOString(),
      finish: new Date((from + 1) * 3600e3).toISOString(),
    }) as FloorView['lanes'][number]['runs'][number]
  const floor = {
    lanes: [
      { machine_id: 1, in_service: true, runs: [run(1, 1, 0, 'printing'), run(2, 1, 1), run(3, 1, 2)] },
      { machine_id: 2, in_service: false, runs: [] },
      { machine_id: 3, in_service: true, runs: [] },
    ],
  } as unknown as FloorView
  const [printing, second, third] = floor.lanes[0]!.runs as [never, never, never]
  it('moves queued runs only, within their lane', () => {
    expect(shifted(floor, third, -1)).toEqual({ machine_id: 1, place: 0 })
    expect(shifted(floor, second, -1)).toBeUndefined()
    expect(shifted(floor, printing, 1)).toBeUndefined()
  })
  it('passes over machines that are out of service', () => {
    expect(moved(floor, second, 1)).toEqual({ machine_id: 3, place: 0 })
    expect(moved(floor, second, -1)).toBeUndefined()
  })
  it('drops behind the runs whose middle has passed', () => {
    expect(placeAt(floor.lanes[0]!, third, 1.4 * 3600e3)).toEqual({ machine_id: 1, place: 0 })
    expect(placeAt(floor.lanes[0]!, third, 1.6 * 3600e3)).toEqual({ machine_id: 1, place: 1 })
  })
})

it('reads and tells fields as it did', () => {
  const s = (key: string, more: object = {}) =>
    ({ key, name: key, text: 'It does.', type: 'number', ...more }) as Setting
  const data = { none: null, empty: '', zero: 0, some: 0.1 + 0.2, list: [1, 2.5], no: [], word: 'off', in: { it: 7 } }
  const keys = [...Object.keys(data), 'in.it', 'missing', 'in.no']
  const texts = ['', ' 3 ', '-1,5', '−2', '.5', '5.', '12,345', '1,2345', '0,345', '+7', '1 2', '1e2', '123,456']
  const hours = [
    '',
    'closed',
    '9-12',
    '09:30–12:00, 13.15-18',
    '24-24',
    '0-24',
    '10-10',
    '10:5-11',
    '9-12,',
    '12-9',
    '23:59-24:00',
    '7 - 8',
  ]
  expect([
    keys.map((k) =>
      [
        k,
        holds(s(k), data),
        holds(s(k, { unset: 'as usual' }), data),
        holds(s(k, { unset: 'as usual', zero: true }), data),
        idle(k, data),
      ].join('|'),
    ),
    [undefined, {}].map((d) => holds(s('some'), d)),
    idle(undefined, data),
    texts.map((t) => `${t}: ${readNumber(t)}`),
    hours.map((t) => `${t}: ${JSON.stringify(parseHours(t))} ${hoursText(parseHours(t) ?? [])}`),
    [1e-7, 45.00000000000001, 1234567.8, 'x', undefined, null].map(plainNumber),
    ['', 'SHELLS', 'do it', 'mm gap', 'zzz'].map((w) =>
      fieldsWith(
        fieldsOf([
          s('shells', { name: 'Shells' }),
          s('gap_mm', { unit: 'mm', values: ['a', 'b'] }),
          s('second', { of: 'two nozzles' }),
        ]),
        w,
      ),
    ),
  ]).toMatchSnapshot()
})
