import { useQueryClient } from '@tanstack/vue-query'
import { useDocumentVisibility, useEventListener, useIntervalFn, useTimeoutFn } from '@vueuse/core'
import { computed, onScopeDispose, reactive, readonly, ref, watch } from 'vue'
import type { JobView, MachineBrief, MachineNow, MachineSaid } from '../api/client'
import { refresh } from './refresh'
import { sayLost, signedOut } from './session'

interface Progress {
  of: 'check' | 'orientations'
  job: number
  fraction: number
  doing: string
}

interface Changed {
  kind: string
  job?: number
  lanes?: boolean
}

interface MachineTells {
  machine: number
  says: MachineSaid
}

/** How much of a curve is kept, and how far its points are apart at the least, ms. */
const curveMost = 360
const curveEvery = 4_000

/** A machine with what it has just told, its curve a point longer. */
export function withTold(m: MachineNow, said: MachineSaid): MachineNow {
  const of = said.heats.map((h) => h.of)
  if (!of.length) return { ...m, said }
  let curve = m.curve
  if (!curve || curve.of.join() !== of.join()) curve = { of, at: [], c: [] }
  const last = curve.at.at(-1)
  if (!last || Date.parse(said.at) - Date.parse(last) >= curveEvery)
    curve = {
      of,
      at: [...curve.at, said.at].slice(-curveMost),
      c: [...curve.c, said.heats.map((h) => h.c)].slice(-curveMost),
    }
  return { ...m, said, curve }
}

/** Silent: the connection stands and nothing comes. Resting: nobody looks at this tab. */
type Live = 'starting' | 'live' | 'silent' | 'unreachable' | 'resting'

const running = reactive(new Map<number, Progress>())
const state = ref<Live>('starting')

/** How far the checks are that run now, by job. */
export const progress = readonly(running)
/** Whether changes arrive by themselves. */
export const isLive = computed(() => state.value === 'live')
/** Why they do not, in words; empty where they do, or will in a moment. */
export const notLive = computed(() => {
  if (signedOut.value) return 'Signed out: what is shown may be old.'
  if (state.value === 'silent') return 'Not live: the server has gone quiet. What is shown may be old.'
  if (state.value === 'unreachable') return 'Not live: the server does not answer. Trying again.'
  return ''
})

/** The server says something at least every five seconds; after that many of silence, ms, it is not heard any more. */
const silentMS = 12_000
const longestWaitMS = 8_000

/** What is answered to a plain question: the stream does not tell why it ended. 0: nothing. */
async function asked(): Promise<number> {
  try {
    return (await fetch('/api/session', { cache: 'no-store', signal: AbortSignal.timeout(4_000) })).status
  } catch {
    return 0
  }
}

/**
 * Listens to the server for as long as the caller lives: progress goes into `progress`, and a
 * change makes what shows it load anew. When the connection ends or goes quiet, it says so, finds
 * out why, and comes back, from the last event that it heard of: what was missed meanwhile is
 * told, and only that is loaded.
 *
 * A tab that nobody sees lets go of its connection: browsers allow six to a server, and a desk has
 * more tabs than that. (VueUse's useEventSource keeps the latest message alone: of two that come
 * together, one would be lost.)
 */
export function useEvents() {
  const queries = useQueryClient()
  const seen = useDocumentVisibility()
  let source: EventSource | undefined
  /** The number of the last event heard of: from there the stream goes on, and what was missed comes. */
  let last = ''
  /** Nothing to go on from: what was loaded before the stream began may be old already. */
  let unheard = true
  let heardAt = 0
  let tries = 0
  let epoch: number | undefined
  let gone = false

  // Changes come in flocks (a recipe changed checks twenty jobs); gather them.
  const stale = new Set<string>()
  const flock = useTimeoutFn(
    () => {
      for (const k of stale) {
        const [name, id] = k.split('/')
        void refresh(queries, id ? [name, Number(id)] : [name])
      }
      stale.clear()
    },
    120,
    { immediate: false },
  )
  const touch = (...keys: string[]) => {
    keys.forEach((k) => stale.add(k))
    if (!flock.isPending.value) flock.start()
  }
  /** A job, and of its pieces that have been looked at, the slices and what findings are drawn with. */
  function touchJob(id: number) {
    touch('shelf', 'floor', 'machines', 'machine', 'finishing', 'beside', `job/${id}`)
    for (const p of queries.getQueryData<JobView>(['job', id])?.piece_set ?? [])
      touch(`slices/${p.id}`, `evidence/${p.id}`)
  }

  const wait = ref(0)
  const retry = useTimeoutFn(() => open(), wait, { immediate: false })
  const heard = (e: Event) => {
    last = (e as MessageEvent).lastEventId || last
    heardAt = Date.now()
    state.value = 'live'
    tries = 0
  }
  function open() {
    if (source || gone || seen.value === 'hidden' || signedOut.value) return
    heardAt = Date.now()
    const mine = (source = new EventSource(last ? `/api/events?after=${last}` : '/api/events'))
    mine.addEventListener('open', (e) => {
      heard(e)
      if (unheard) void queries.invalidateQueries()
      unheard = false
    })
    mine.addEventListener('error', () => mine === source && void lose('unreachable'))
    mine.addEventListener('alive', (e) => {
      heard(e)
      const { epoch: now } = JSON.parse((e as MessageEvent).data) as { epoch?: number }
      // A house that was restored from a copy is another: nothing of this page is of it.
      if (epoch && now && now !== epoch) location.reload()
      epoch = now ?? epoch
    })
    mine.addEventListener('progress', (e) => {
      heard(e)
      const p: Progress = JSON.parse((e as MessageEvent).data)
      if (p.of === 'orientations') touch(`job/${p.job}`)
      else running.set(p.job, p)
    })
    mine.addEventListener('machine', (e) => {
      heard(e)
      const m: MachineTells = JSON.parse((e as MessageEvent).data)
      queries.setQueryData<MachineBrief[]>(['machines'], (all) =>
        all?.map((x) => (x.machine_id === m.machine ? { ...x, said: m.says } : x)),
      )
      queries.setQueryData<MachineNow>(['machine', m.machine], (x) => x && withTold(x, m.says))
    })
    mine.addEventListener('changed', (e) => {
      heard(e)
      const c: Changed = JSON.parse((e as MessageEvent).data)
      if (c.job) running.delete(c.job)
      if (c.kind === 'house')
        touch('shelf', 'floor', 'machines', 'machine', 'stores', 'lines', 'house', 'job', 'slices', 'bed', 'beside')
      if (c.kind === 'lanes' || c.lanes)
        touch('shelf', 'floor', 'machines', 'machine', 'stores', 'lines', 'job', 'bed', 'beside')
      if (c.kind === 'job' && c.job) touchJob(c.job)
    })
  }
  function shut() {
    source?.close()
    source = undefined
    retry.stop()
    unheard ||= !last
  }
  /** The stream is over: finds out why, and tries again, sooner at first. */
  async function lose(why: 'silent' | 'unreachable') {
    shut()
    state.value = why
    const status = await asked()
    if (gone || source || seen.value === 'hidden') return
    if (status === 401) return sayLost()
    state.value = status === 200 ? why : 'unreachable'
    wait.value = Math.min(longestWaitMS, 500 * 2 ** tries++)
    if (status === 200 && tries === 1) open()
    else retry.start()
  }
  useIntervalFn(() => {
    if (source && Date.now() - heardAt > silentMS) void lose('silent')
  }, 1_000)

  function rest() {
    shut()
    state.value = 'resting'
  }
  watch(seen, (s) => (s === 'hidden' ? rest() : open()), { flush: 'sync' })
  watch(signedOut, (out) => (out ? shut() : open()), { flush: 'sync' })
  useEventListener(window, 'pagehide', rest)
  useEventListener(window, 'pageshow', open)
  state.value = 'starting'
  open()
  onScopeDispose(() => {
    gone = true
    shut()
    running.clear()
  })
}
