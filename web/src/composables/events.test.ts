import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope } from 'vue'

const { refresh, invalidate } = vi.hoisted(() => ({ refresh: vi.fn(), invalidate: vi.fn() }))
vi.mock('./refresh', () => ({ refresh: (_: unknown, key: unknown[]) => refresh(key.join('/')) }))
vi.mock('@tanstack/vue-query', () => ({ useQueryClient: () => ({ invalidateQueries: invalidate }) }))
const { isLive, progress, useEvents } = await import('./events')

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
  const scope = () => effectScope()
  let s: ReturnType<typeof scope>
  beforeEach(() => {
    vi.useFakeTimers()
    vi.stubGlobal('EventSource', Source)
    Source.all = []
    refresh.mockClear()
    invalidate.mockClear()
    s = scope()
    s.run(() => useEvents())
  })
  afterEach(() => {
    s.stop()
    vi.useRealTimers()
  })
  const told = () => {
    vi.advanceTimersByTime(200)
    return refresh.mock.calls.map((c) => c[0] as string).sort()
  }

  it.each([
    [{ kind: 'job', job: 7 }, ['evidence', 'floor', 'job/7', 'shelf', 'slices']],
    [{ kind: 'lanes' }, ['floor', 'job', 'shelf']],
    [{ kind: 'job', job: 7, lanes: true }, ['evidence', 'floor', 'job', 'job/7', 'shelf', 'slices']],
    [{ kind: 'house' }, ['floor', 'house', 'job', 'shelf', 'slices']],
  ])('%o makes what shows it load anew', (event, keys) => {
    Source.all[0]!.say('changed', event)
    expect(told()).toEqual(keys)
  })
  it('gathers flocks, each thing once', () => {
    for (let i = 0; i < 20; i++) Source.all[0]!.say('changed', { kind: 'job', job: 1 + (i % 2) })
    expect(told()).toEqual(['evidence', 'floor', 'job/1', 'job/2', 'shelf', 'slices'])
    refresh.mockClear()
    Source.all[0]!.say('changed', { kind: 'job', job: 9 })
    expect(told(), 'and the next flock').toEqual(['evidence', 'floor', 'job/9', 'shelf', 'slices'])
  })
  it('keeps how far a check is until it is over', () => {
    Source.all[0]!.say('progress', { job: 3, fraction: 0.4, doing: 'cutting' })
    expect(progress.get(3)?.fraction).toBe(0.4)
    Source.all[0]!.say('changed', { kind: 'job', job: 3 })
    expect(progress.has(3)).toBe(false)
  })
  it('says whether it is live; before it has heard of anything it loads all that it may have missed', () => {
    Source.all[0]!.say('open')
    expect(isLive.value).toBe(true)
    expect(invalidate).not.toHaveBeenCalled()
    Source.all[0]!.say('error')
    expect(isLive.value).toBe(false)
    Source.all[0]!.say('open')
    expect(invalidate).toHaveBeenCalledOnce()
    Source.all[0]!.say('alive', { at: 'now' }, '12')
    Source.all[0]!.say('error')
    Source.all[0]!.say('open')
    expect(invalidate, 'the server tells what was missed').toHaveBeenCalledOnce()
  })
  it('that nobody looked at before it had heard of anything loads all when it is looked at', () => {
    const hidden = vi.spyOn(document, 'visibilityState', 'get')
    for (const state of ['hidden', 'visible'] as const) {
      hidden.mockReturnValue(state)
      document.dispatchEvent(new Event('visibilitychange'))
    }
    Source.all[1]!.say('open')
    expect(invalidate).toHaveBeenCalledOnce()
    hidden.mockRestore()
  })
  it('goes on from the last event that it heard of', () => {
    const hidden = vi.spyOn(document, 'visibilityState', 'get')
    Source.all[0]!.say('alive', { at: 'now' }, '12')
    Source.all[0]!.say('changed', { kind: 'job', job: 3 }, '15')
    Source.all[0]!.say('progress', { job: 3, fraction: 0.4, doing: 'cutting' })
    for (const state of ['hidden', 'visible'] as const) {
      hidden.mockReturnValue(state)
      document.dispatchEvent(new Event('visibilitychange'))
    }
    expect(Source.all.map((x) => x.url)).toEqual(['/api/events', '/api/events?after=15'])
    hidden.mockRestore()
  })
  it('lets go when nobody looks, and when its owner goes', () => {
    const hidden = vi.spyOn(document, 'visibilityState', 'get').mockReturnValue('hidden')
    document.dispatchEvent(new Event('visibilitychange'))
    expect(Source.all[0]!.closed).toBe(true)
    hidden.mockReturnValue('visible')
    document.dispatchEvent(new Event('visibilitychange'))
    expect(Source.all).toHaveLength(2)
    s.stop()
    expect(Source.all[1]!.closed).toBe(true)
    hidden.mockRestore()
  })
})
