import { beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, nextTick, ref } from 'vue'
import type { SliceView } from '../api/client'
import { useLayers } from './layers'

// What came over the wire is told by its length: so many layers, of 0.2 mm each.
vi.mock('../components/partScene', () => ({
  readLayers: (b: ArrayBuffer) => Array.from({ length: b.byteLength }, (_, i) => ({ top: 0.2 * (i + 1) })),
}))

const slice = (id: number, more: object = {}) =>
  ({ id, stand: { turn: [1, 0, 0, 0], scale: [1, 1, 1] }, plates: [{ n: 1, spots: [{}] }], ...more }) as SliceView
const settled = async () => {
  for (let i = 0; i < 8; i++) await new Promise((r) => setTimeout(r))
}

describe('the layers of a slice', () => {
  let answers: Record<string, (layers: number, ok?: boolean) => void>
  let halfRead: Record<string, (body: Promise<ArrayBuffer>) => void>
  beforeEach(() => {
    answers = {}
    halfRead = {}
    vi.stubGlobal(
      'fetch',
      (url: string) =>
        new Promise((resolve) => {
          halfRead[url] = (body) => resolve({ ok: true, arrayBuffer: () => body })
          answers[url] = (n, ok = true) => resolve({ ok, arrayBuffer: () => Promise.resolve(new ArrayBuffer(n)) })
        }),
    )
  })
  const open = (first?: SliceView) => {
    const which = ref(first)
    const scope = effectScope()
    const l = scope.run(() => useLayers(which))!
    return { which, scope, l }
  }

  it('are fetched, and shown from the middle', async () => {
    const { l } = open(slice(7))
    await settled()
    answers['/api/slices/7/layers?plate=1']!(50)
    await settled()
    expect(l.layers.value).toHaveLength(50)
    expect(l.at.value).toBe(25)
    expect(l.height.value).toBeCloseTo(5.2)
  })
  it('are those of the slice that was asked for last, whichever answer comes first', async () => {
    const { which, l } = open(slice(1))
    await settled()
    which.value = slice(2)
    await settled()
    answers['/api/slices/2/layers?plate=1']!(20)
    await settled()
    answers['/api/slices/1/layers?plate=1']!(10)
    await settled()
    expect(l.layers.value).toHaveLength(20)
  })
  it('are those of the last one also where the earlier one is half read', async () => {
    const { which, l } = open(slice(1))
    await settled()
    let rest: (b: ArrayBuffer) => void = () => undefined
    vi.stubGlobal('fetch', () => Promise.resolve({ ok: true, arrayBuffer: () => Promise.resolve(new ArrayBuffer(20)) }))
    halfRead['/api/slices/1/layers?plate=1']!(new Promise((r) => (rest = r)))
    await settled()
    which.value = slice(2)
    await settled()
    expect(l.layers.value).toHaveLength(20)
    rest(new ArrayBuffer(10))
    await settled()
    expect(l.layers.value).toHaveLength(20)
  })
  it('are none once no slice is shown, also where an answer is on its way', async () => {
    const { which, l } = open(slice(1))
    await settled()
    which.value = undefined
    await settled()
    answers['/api/slices/1/layers?plate=1']!(10)
    await settled()
    expect(l.layers.value).toBeUndefined()
    expect(l.height.value).toBeUndefined()
  })
  it('arrive nowhere after their owner is gone', async () => {
    const { scope, l } = open(slice(1))
    await settled()
    scope.stop()
    answers['/api/slices/1/layers?plate=1']!(10)
    await settled()
    expect(l.layers.value).toBeUndefined()
  })
  it('stay as they were when the next ones cannot be had, and at the same height where they can', async () => {
    const { which, l } = open(slice(1))
    await settled()
    answers['/api/slices/1/layers?plate=1']!(50)
    await settled()
    l.at.value = 40
    which.value = slice(2)
    await settled()
    answers['/api/slices/2/layers?plate=1']!(9, false)
    await settled()
    expect(l.layers.value).toHaveLength(50)
    which.value = slice(3)
    await settled()
    answers['/api/slices/3/layers?plate=1']!(30)
    await settled()
    expect(l.at.value).toBe(29)
  })
  it('are gone to by height: the layer that holds it, or the last', async () => {
    const { l } = open(slice(1))
    await settled()
    answers['/api/slices/1/layers?plate=1']!(10)
    await settled()
    for (const [mm, at] of [
      [0, 0],
      [0.2, 0],
      [0.201, 0],
      [0.21, 1],
      [1, 4],
      [2, 9],
      [99, 9],
    ] as const) {
      l.goTo(mm)
      expect(l.at.value, `${mm} mm`).toBe(at)
    }
  })
  it('show the body only where one copy lies on one plate', async () => {
    const { which, l } = open(slice(1))
    await settled()
    answers['/api/slices/1/layers?plate=1']!(10)
    await settled()
    expect(l.shown.value?.body).toBe(true)
    which.value = slice(1, { plates: [{ n: 1, spots: [{}, {}] }] })
    await nextTick()
    expect([l.shown.value?.body, l.shown.value?.many], 'of two copies').toEqual([false, true])
    l.toggle(3)
    expect(l.kinds.value.has(3)).toBe(false)
    l.toggle(3)
    expect(l.kinds.value.has(3)).toBe(true)
  })
})
