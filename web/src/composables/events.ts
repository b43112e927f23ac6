import { useQueryClient } from '@tanstack/vue-query'
import { onScopeDispose, reactive, readonly, ref } from 'vue'
import { refresh } from './refresh'

interface Progress {
  job: number
  fraction: number
  doing: string
}

const running = reactive(new Map<number, Progress>())
const live = ref(false)

/** How far the checks are that run now, by job. */
export const progress = readonly(running)
/** Whether changes arrive by themselves. */
export const isLive = readonly(live)

/**
 * Listens to the server for as long as the caller lives: progress goes into
 * `progress`, and a change makes what shows it load anew. The browser takes the
 * connection up again by itself, from the last event that it heard of: what was
 * missed meanwhile is told, and only that is loaded.
 *
 * A tab that nobody sees lets go of its connection: browsers allow six to a
 * server, and a desk has more tabs than that.
 */
export function useEvents() {
  const queries = useQueryClient()
  let source: EventSource | undefined
  /** The number of the last event heard of: from there the stream goes on, and what was missed comes. */
  let last = ''
  let unheard = false
  const heard = (e: Event) => (last = (e as MessageEvent).lastEventId || last)
  // Changes come in flocks (a recipe changed checks twenty jobs); gather them.
  const stale = new Set<string>()
  let timer: ReturnType<typeof setTimeout> | undefined
  const touch = (...keys: string[]) => {
    keys.forEach((k) => stale.add(k))
    timer ??= setTimeout(() => {
      timer = undefined
      for (const k of stale) {
        const [name, id] = k.split('/')
        void refresh(queries, id ? [name, Number(id)] : [name])
      }
      stale.clear()
    }, 120)
  }
  function open() {
    if (source) return
    source = new EventSource(last ? `/api/events?after=${last}` : '/api/events')
    source.addEventListener('open', () => {
      live.value = true
      if (unheard) queries.invalidateQueries()
      unheard = false
    })
    source.addEventListener('error', () => {
      live.value = false
      unheard = !last // nothing to go on from
    })
    source.addEventListener('alive', heard)
    source.addEventListener('progress', (e) => {
      const p: Progress = JSON.parse((e as MessageEvent).data)
      running.set(p.job, p)
    })
    source.addEventListener('changed', (e) => {
      heard(e)
      const c: { kind: string; job?: number; lanes?: boolean } = JSON.parse((e as MessageEvent).data)
      if (c.job) running.delete(c.job)
      if (c.kind === 'house') touch('shelf', 'floor', 'house', 'job', 'slices')
      if (c.kind === 'lanes' || c.lanes) touch('shelf', 'floor', 'job')
      if (c.kind === 'job') touch('shelf', 'floor', `job/${c.job}`, 'slices', 'evidence') // of whichever piece is looked at
    })
  }
  function close() {
    source?.close()
    source = undefined
    live.value = false
    unheard = !last // as above
  }
  const follow = () => (document.visibilityState === 'hidden' ? close() : open())
  document.addEventListener('visibilitychange', follow)
  window.addEventListener('pagehide', close)
  window.addEventListener('pageshow', follow)
  follow()
  onScopeDispose(() => {
    document.removeEventListener('visibilitychange', follow)
    window.removeEventListener('pagehide', close)
    window.removeEventListener('pageshow', follow)
    clearTimeout(timer)
    close()
    running.clear()
  })
}
