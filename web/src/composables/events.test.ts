import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope } from 'vue'
import { sayFound, signedOut } from './session'

const { refresh, invalidate } = vi.hoisted(() => ({ refresh: vi.fn(), invalidate: vi.fn() }))
const jobs: Record<string, { piece_set: { id: number }[] }> = { 'job/7': { piece_set: [{ id: 70 }, { id: 71 }] } }
vi.mock('./refresh', () => ({ refresh: (_: unknown, key: unknown[]) => refresh(key.join('/')) }))
vi.mock('@tanstack/vue-query', () => ({
  useQueryClient: () => ({ invalidateQueries: invalidate, getQueryData: (key: unknown[]) => jobs[key.join('/')] }),
}))
const { isLive, notLive, progress, useEvents } = await import('./events')

class Source extends EventTarget {
  static all: Source[] = []
  closed = false
  constructor(readonly url: string) {
    super()
    Source.all.push(this)
  }
  close() {
    this.closed = true
  }
  say(kind: string, data?: object, lastEventId = '') {
    this.dispatchEvent(data ? new MessageEvent(kind, { data: JSON.stringify(data), lastEventId }) : new Event(kind))
  }
}

describe('what the server tells', () => {
  let s: ReturnType<typeof effectScope>
  /** What the server answers when it is asked why; 0: nothing. */
  let status = 200
  const hidden = () => vi.spyOn(document, 'visibilityState', 'get')
  const newest = () => Source.all.at(-1)!
  beforeEach(() => {
    vi.useFakeTimers()
    vi.stubGlobal('EventSource', Source)
    vi.stubGlobal('fetch', () => (status ? Promise.resolve({ status }) : Promise.reject(new TypeError('down'))))
    AbortSignal.timeout ??= () => new AbortController().signal
    status = 200
    Source.all = []
    sayFound()
    s = effectScope()
    s.run(() => useEvents())
    Source.all[0]!.say('open')
    refresh.mockClear()
    invalidate.mockClear()
  })
  afterEach(() => {
    s.stop()
    vi.useRealTimers()
    vi.restoreAllMocks()
  })
  const told = () => {
    vi.advanceTimersByTime(200)
    return refresh.mock.calls.map((c) => c[0] as string).sort()
  }

  it.each([
    [
      { kind: 'job', job: 7 },
      [
        'beside',
        'evidence/70',
        'evidence/71',
        'finishing',
        'floor',
        'job/7',
        'machine',
        'machines',
        'shelf',
        'slices/70',
        'slices/71',
      ],
    ],
    [{ kind: 'job', job: 8 }, ['beside', 'finishing', 'floor', 'job/8', 'machine', 'machines', 'shelf']],
    [{ kind: 'lanes' }, ['bed', 'beside', 'floor', 'job', 'lines', 'machine', 'machines', 'shelf', 'stores']],
    [
      { kind: 'job', job: 8, lanes: true },
      ['bed', 'beside', 'finishing', 'floor', 'job', 'job/8', 'lines', 'machine', 'machines', 'shelf', 'stores'],
    ],
    [
      { kind: 'house' },
      ['bed', 'beside', 'floor', 'house', 'job', 'lines', 'machine', 'machines', 'shelf', 'slices', 'stores'],
    ],
  ])('%o makes what shows it load anew', (event, keys) => {
    newest().say('changed', event)
    expect(told()).toEqual(keys)
  })
  it('gathers flocks, each thing once', () => {
    for (let i = 0; i < 20; i++) newest().say('changed', { kind: 'job', job: 1 + (i % 2) })
    expect(told()).toEqual(['beside', 'finishing', 'floor', 'job/1', 'job/2', 'machine', 'machines', 'shelf'])
    refresh.mockClear()
    newest().say('changed', { kind: 'job', job: 9 })
    expect(told(), 'and the next flock').toEqual([
      'beside',
      'finishing',
      'floor',
      'job/9',
      'machine',
      'machines',
      'shelf',
    ])
  })
  it('keeps how far a check is until it is over', () => {
    newest().say('progress', { of: 'check', job: 3, fraction: 0.4, doing: 'cutting' })
    expect(progress.get(3)?.fraction).toBe(0.4)
    newest().say('changed', { kind: 'job', job: 3 })
    expect(progress.has(3)).toBe(false)
  })
  it('loads what was loaded before it began to listen, once it has nothing to go on from', async () => {
    newest().say('error')
    await vi.advanceTimersByTimeAsync(1000)
    newest().say('open')
    expect(invalidate).toHaveBeenCalledOnce()
    newest().say('alive', { at: 'now' }, '12')
    newest().say('error')
    await vi.advanceTimersByTimeAsync(1000)
    newest().say('open')
    expect(invalidate, 'the server tells what was missed').toHaveBeenCalledOnce()
    expect(newest().url).toBe('/api/events?after=12')
  })
  it('a server that is away, or a proxy without one: says so, keeps trying, and comes back', async () => {
    newest().say('alive', { at: 'now' }, '15')
    expect([isLive.value, notLive.value]).toEqual([true, ''])
    for (status of [502, 0, 503]) {
      newest().say('error')
      await vi.advanceTimersByTimeAsync(0)
      expect(isLive.value).toBe(false)
      expect(notLive.value).toMatch(/does not answer/)
      await vi.advanceTimersByTimeAsync(8_000)
    }
    status = 200
    newest().say('error')
    await vi.advanceTimersByTimeAsync(8_000)
    newest().say('open')
    expect([isLive.value, notLive.value]).toEqual([true, ''])
    expect(newest().url).toBe('/api/events?after=15')
    expect(Source.all.filter((x) => !x.closed)).toEqual([newest()])
  })
  it('a connection that stands and says nothing is told within 20 s, and taken up anew', async () => {
    for (let i = 0; i < 10; i++) {
      await vi.advanceTimersByTimeAsync(5_000)
      newest().say('alive', { at: 'now' }, '3')
    }
    expect(Source.all, 'while it says something it is left alone').toHaveLength(1)
    status = 0
    await vi.advanceTimersByTimeAsync(19_000)
    expect(isLive.value).toBe(false)
    expect(notLive.value).toMatch(/may be old|does not answer/)
    expect(Source.all[0]!.closed).toBe(true)
    status = 200
    await vi.advanceTimersByTimeAsync(9_000)
    newest().say('open')
    expect(isLive.value).toBe(true)
  })
  it('somebody who was signed out is told so, and it waits until they are in again', async () => {
    status = 401
    newest().say('error')
    await vi.advanceTimersByTimeAsync(60_000)
    expect(signedOut.value).toBe(true)
    expect(notLive.value).toMatch(/Signed out/)
    expect(Source.all).toHaveLength(1)
    status = 200
    sayFound()
    expect(Source.all).toHaveLength(2)
    newest().say('open')
    expect(notLive.value).toBe('')
  })
  it('lets go when nobody looks, goes on from the last event when somebody does, and ends with its owner', () => {
    newest().say('changed', { kind: 'job', job: 3 }, '15')
    newest().say('progress', { of: 'check', job: 3, fraction: 0.4, doing: 'cutting' })
    for (const state of ['hidden', 'visible'] as const) {
      hidden().mockReturnValue(state)
      document.dispatchEvent(new Event('visibilitychange'))
      expect(Source.all[0]!.closed).toBe(true)
    }
    expect(Source.all.map((x) => x.url)).toEqual(['/api/events', '/api/events?after=15'])
    s.stop()
    expect(Source.all[1]!.closed).toBe(true)
  })
})
