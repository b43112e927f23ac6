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
 * connection up again by itself; what was missed meanwhile is loaded.
 *
 * A tab that nobody sees lets go of its connection: browsers allow six to a
 * server, and a desk has more tabs than that.
 */
export function useEvents() {
  const queries = useQueryClient()
  let source: EventSource | undefined
  let missed = false
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
    source = new EventSource('/api/events')
    source.addEventListener('open', () => {
      live.value = true
      if (missed) queries.invalidateQueries()
      missed = false
    })
    source.addEventListener('error', () => {
      live.value = false
      missed = true
    })
    source.addEventListener('progress', (e) => {
      const p: Progress = JSON.parse((e as MessageEvent).data)
      running.set(p.job, p)
    })
    source.addEventListener('changed', (e) => {
      const c: { kind: string; job?: number } = JSON.parse((e as MessageEvent).data)
      if (c.job) running.delete(c.job)
      if (c.kind === 'house') touch('shelf', 'floor', 'house', 'job', 'slices')
      else if (c.kind === 'lane') touch('shelf', 'floor', 'job')
      else touch('shelf', 'floor', `job/${c.job}`, 'slices', 'evidence') // of whichever piece is looked at
    })
  }
  function close() {
    source?.close()
    source = undefined
    live.value = false
    missed = true
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
