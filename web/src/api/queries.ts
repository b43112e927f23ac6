import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, toValue, watch, type MaybeRefOrGetter } from 'vue'
import { withRunAt } from '../components/lanes'
import { isLive } from '../composables/events'
import { say } from '../composables/notices'
import {
  api,
  Refusal,
  take,
  type FloorView,
  type HouseRule,
  type HouseView,
  type JobView,
  type LadderRow,
  type PieceChange,
  type Delivery,
  type HouseFinishing,
  type MachineNow,
  type PartView,
  type NewPart,
  type SpoolView,
  type WearView,
  type RoutineJob,
  type RunCourse,
  type Slip,
  type SliceOrder,
  type SliceView,
  type Use,
} from './client'

export function useWho() {
  return useQuery({
    queryKey: ['who'],
    queryFn: async () => {
      try {
        return await take(api.GET('/session'))
      } catch (e) {
        if (e instanceof Refusal && e.status === 401) return null
        throw e
      }
    },
  })
}

export const useShelf = () => useQuery({ queryKey: ['shelf'], queryFn: () => take(api.GET('/jobs')) })

export const useFloor = () =>
  useQuery({ queryKey: ['floor'], queryFn: () => take(api.GET('/floor')), refetchInterval: 60_000 })

export const useHouse = (enabled: MaybeRefOrGetter<boolean> = true) =>
  useQuery({ queryKey: ['house'], queryFn: () => take(api.GET('/house')), enabled: () => toValue(enabled) })

/** The house's materials. */
export function useMaterialsOf() {
  const house = useHouse()
  return computed(() => house.data.value?.materials ?? [])
}

/** Jobs that were sent back or withdrawn; with words, all that ever ended. */
export const useEnded = (search: () => string) =>
  useQuery({
    queryKey: computed(() => ['shelf', 'ended', search()]),
    queryFn: () => take(api.GET('/ended', { params: { query: { search: search() } } })),
    placeholderData: keepPreviousData,
  })

/** What the house asks of jobs. */
export const useRules = () => useQuery({ queryKey: ['house', 'rules'], queryFn: () => take(api.GET('/rules')) })

/** Holds a rule against jobs of the past. */
export const tryRule = (data: HouseRule) => take(api.POST('/rules/try', { body: { data } }))

/** Writes rules, and lets them count no more. */
export function useWriteRules() {
  const client = useQueryClient()
  const again = () => Promise.all(['house', 'job', 'shelf'].map((key) => client.invalidateQueries({ queryKey: [key] })))
  return {
    async save(id: number | undefined, version: number | undefined, data: HouseRule) {
      if (id) await take(api.PUT('/rules/{id}', { params: { path: { id } }, body: { version, data } }))
      else id = (await take(api.POST('/rules', { body: { data } }))).id
      await again()
      return id
    },
    async away(id: number, version: number) {
      await take(api.DELETE('/rules/{id}', { params: { path: { id }, query: { version } } }))
      await again()
    },
  }
}

/** Who works in the house now. */
export const useWorkers = () =>
  useQuery({ queryKey: ['workers'], queryFn: () => take(api.GET('/workers')), refetchInterval: 10_000 })

/** How much room the own files take, and the house's for its coordinators. */
export const useStorage = (enabled: MaybeRefOrGetter<boolean>) =>
  useQuery({ queryKey: ['storage'], queryFn: () => take(api.GET('/storage')), enabled: () => toValue(enabled) })

/** Where a machine's bed is worn. */
export const useBed = (id: MaybeRefOrGetter<number>) =>
  useQuery({
    queryKey: computed(() => ['bed', toValue(id)]),
    queryFn: () => take(api.GET('/machines/{id}/bed', { params: { path: { id: toValue(id) } } })),
  })

export const usePeople = (enabled: MaybeRefOrGetter<boolean>) =>
  useQuery({ queryKey: ['people'], queryFn: () => take(api.GET('/people')), enabled: () => toValue(enabled) })

const jobQuery = (id: number) => ({
  queryKey: ['job', id],
  queryFn: () => take(api.GET('/jobs/{id}', { params: { path: { id } } })),
})

/** Loads a job that is likely to be looked at next. */
export function useSoon(id: () => number | undefined) {
  const client = useQueryClient()
  watch(id, (n) => n !== undefined && void client.prefetchQuery(jobQuery(n)), { immediate: true })
}

/** What the shelf's slip tells of a job stands in for it until it is there. */
const asOnTheShelf = (slip: Slip): JobView => ({
  ...slip,
  use: {},
  questions: [],
  elsewhere: [],
  findings: [],
  letters: [],
  history: [],
  ladder: [],
  left_out: [],
  messages: [],
  piece_set: [],
  runs: [],
  stopped: false,
  ways: { rows: [], tried: 0, of: 0 },
})

/** A job; its slip, marked as a placeholder, while it loads. */
export function useJob(id: MaybeRefOrGetter<number | undefined>) {
  const shelf = useShelf()
  const slip = computed(() => shelf.data.value?.slips.find((s) => s.id === toValue(id)))
  return useQuery({
    queryKey: computed(() => ['job', toValue(id)]),
    queryFn: () => jobQuery(toValue(id)!).queryFn(),
    enabled: () => toValue(id) !== undefined,
    placeholderData: computed(() => slip.value && asOnTheShelf(slip.value)),
  })
}

type Keys = readonly (readonly unknown[])[]

interface Deed<V, O> {
  run: (v: V) => Promise<O>
  /** What is said when it is done. */
  done?: (v: V) => string
  /** Undoes it, for ten seconds. */
  undo?: (v: V) => Promise<unknown>
  /** What it changes, beside the shelf and the floor. */
  touches?: (v: V) => Keys
}

/** A deed: runs, loads anew what it may have changed, and says so when refused. */
function useDeed<V, O = unknown>({ run, done, undo, touches }: Deed<V, O>) {
  const client = useQueryClient()
  return useMutation({
    mutationFn: run,
    onSuccess: (_, v) => {
      if (!done) return
      if (!undo) return say(done(v))
      say(done(v), 'done', () => {
        undo(v)
          .catch((e: Error) => say(e.message, 'refused'))
          .finally(() => void client.invalidateQueries())
      })
    },
    onError: (e) => say(e.message, 'refused'),
    onSettled: (_d, _e, v) => {
      // What is live hears of the rest; what is not loads all.
      if (!isLive.value) return void client.invalidateQueries()
      for (const queryKey of [['shelf'], ['floor'], ...(touches?.(v) ?? [])])
        void client.invalidateQueries({ queryKey })
    },
  })
}

/** A deed that says what has come of it. */
function useDeedTelling<V, O>({
  run,
  done,
  touches,
}: {
  run: (v: V) => Promise<O>
  done: (o: O) => string
  touches: () => Keys
}) {
  return useDeed<V>({
    run: async (v) => {
      const o = await run(v)
      say(done(o), 'done')
      return o
    },
    touches,
  })
}

const ofJob = (v: { id: number }): Keys => [['job', v.id]]
const ofPieces: () => Keys = () => [['job'], ['slices'], ['beside']]

interface At {
  id: number
  revision: number
}

/** A setting that is to be otherwise than the recipe has it. */
export interface Condition {
  key: string
  value: string
  why: string
}

interface Yes extends At {
  machine_id?: number
  machine: string
  title: string
  sliced: boolean
  conditions?: Condition[]
  more_percent?: number
}

/** Takes back what was just said yes to. */
async function unsay(id: number) {
  const { revision } = await take(api.GET('/jobs/{id}', { params: { path: { id } } }))
  await take(api.POST('/jobs/{id}/take-back', { params: { path: { id } }, body: { revision } }))
}

export const useApprove = () =>
  useDeed<Yes>({
    run: (v) =>
      take(
        api.POST('/jobs/{id}/approve', {
          params: { path: { id: v.id } },
          body: {
            revision: v.revision,
            machine_id: v.machine_id,
            conditions: v.conditions,
            more_percent: v.more_percent,
          },
        }),
      ),
    done: (v) =>
      v.sliced
        ? `${v.title} is queued on ${v.machine}.`
        : `${v.title} is sliced for ${v.machine}, and queued if that keeps to the yes.`,
    undo: async (v) => {
      await unsay(v.id)
      say(`${v.title} is to be decided again.`)
    },
    touches: ofJob,
  })

/** Jobs that can be said yes to together, and what would happen. */
export const useRoutine = (enabled: MaybeRefOrGetter<boolean>) =>
  useQuery({
    queryKey: ['shelf', 'routine'],
    queryFn: () => take(api.GET('/routine')),
    enabled: () => toValue(enabled),
  })

/** Says yes to several as they were listed. */
export const useApproveTogether = () =>
  useDeed<RoutineJob[]>({
    run: (jobs) =>
      take(
        api.POST('/routine', {
          body: {
            jobs: jobs.map(({ id, revision, machine_id, price_cents }) => ({ id, revision, machine_id, price_cents })),
          },
        }),
      ),
    done: (jobs) => `${jobs.length} ${jobs.length === 1 ? 'job is' : 'jobs are'} approved.`,
    undo: async (jobs) => {
      for (const j of jobs) await unsay(j.id)
      say(`${jobs.length} ${jobs.length === 1 ? 'job is' : 'jobs are'} to be decided again.`)
    },
    touches: () => [['job']],
  })

/** What members are told, by occasion; and says something else. */
export const useLetters = () => useQuery({ queryKey: ['house', 'letters'], queryFn: () => take(api.GET('/letters')) })
export function useSetLetter() {
  const client = useQueryClient()
  return async (kind: string, text: string) => {
    await take(api.PUT('/letters', { body: { kind, text } }))
    await client.invalidateQueries({ queryKey: ['house', 'letters'] })
  }
}

/** Says which group somebody belongs to. */
export const useSetGroup = () =>
  useDeed<{ id: number; group: string }>({
    run: (v) => take(api.PUT('/people/{id}/group', { params: { path: { id: v.id } }, body: { group: v.group } })),
    touches: () => [['people'], ['job']],
  })

/** All versions of a rule, the latest first. */
export const useRuleVersions = (id: () => number | undefined) =>
  useQuery({
    queryKey: computed(() => ['house', 'rules', id()]),
    queryFn: () => take(api.GET('/rules/{id}/versions', { params: { path: { id: id()! } } })),
    enabled: () => id() !== undefined,
  })

export const useTakeBack = () =>
  useDeed<At & { title: string }>({
    run: (v) =>
      take(api.POST('/jobs/{id}/take-back', { params: { path: { id: v.id } }, body: { revision: v.revision } })),
    done: (v) => `${v.title} is to be decided again.`,
    touches: ofJob,
  })

export const useWithdraw = () =>
  useDeed<At & { title: string; reason: string }>({
    run: (v) =>
      take(
        api.POST('/jobs/{id}/withdraw', {
          params: { path: { id: v.id } },
          body: { revision: v.revision, reason: v.reason },
        }),
      ),
    done: (v) => `${v.title} is withdrawn.`,
    touches: ofJob,
  })

export const useSendBack = () =>
  useDeed<At & { title: string; reason: string }>({
    run: (v) =>
      take(
        api.POST('/jobs/{id}/send-back', {
          params: { path: { id: v.id } },
          body: { revision: v.revision, reason: v.reason },
        }),
      ),
    done: (v) => `${v.title} is sent back.`,
    touches: ofJob,
  })

export const useAdvance = () =>
  useDeed<At & { place?: string }>({
    run: ({ id, ...body }) => take(api.POST('/jobs/{id}/advance', { params: { path: { id } }, body })),
    touches: (v) => [...ofJob(v), ['finishing'], ['accounts'], ['account']],
  })

export const useCheckAgain = () =>
  useDeed<number>({
    run: (id) => take(api.POST('/jobs/{id}/check', { params: { path: { id } } })),
    touches: (id) => [['job', id]],
  })

export const useCancelCheck = () =>
  useDeed<number>({
    run: (id) => take(api.DELETE('/jobs/{id}/check', { params: { path: { id } } })),
    touches: (id) => [['job', id]],
  })

export const useChangePiece = () =>
  useDeed<{ id: number; body: PieceChange }>({
    run: (v) => take(api.PUT('/pieces/{id}', { params: { path: { id: v.id } }, body: v.body })),
    touches: ofPieces,
  })

/** Says why something that was found on a job may be as it is; an empty reason takes that back. */
export const useAnswer = () =>
  useDeed<At & { key: string; reason: string }>({
    run: (v) =>
      take(
        api.POST('/jobs/{id}/answer', {
          params: { path: { id: v.id } },
          body: { revision: v.revision, key: v.key, reason: v.reason },
        }),
      ),
    touches: (v) => [['job', v.id], ['shelf']],
  })

/** Asks a job's member something, and answers that. */
export const useAsk = () =>
  useDeed<At & { title: string; text: string }>({
    run: (v) =>
      take(
        api.POST('/jobs/{id}/ask', { params: { path: { id: v.id } }, body: { revision: v.revision, text: v.text } }),
      ),
    done: (v) => `${v.title} waits for its member’s answer.`,
    touches: ofJob,
  })
export const useReply = () =>
  useDeed<At & { text: string }>({
    run: (v) =>
      take(
        api.POST('/jobs/{id}/reply', { params: { path: { id: v.id } }, body: { revision: v.revision, text: v.text } }),
      ),
    touches: ofJob,
  })

/** Says what a job is for. */
export const useSayUse = () =>
  useDeed<At & { use: Use }>({
    run: (v) =>
      take(api.PUT('/jobs/{id}/use', { params: { path: { id: v.id } }, body: { revision: v.revision, use: v.use } })),
    touches: (v) => [['job', v.id], ['shelf']],
  })

/** Stands pieces of a job as a row of its ladder has them. */
export const useTurnPieces = () =>
  useDeed<At & { title: string; row: LadderRow }>({
    run: (v) =>
      take(
        api.POST('/jobs/{id}/turn', {
          params: { path: { id: v.id } },
          body: { revision: v.revision, turns: v.row.turns ?? [] },
        }),
      ),
    done: (v) => `${v.title} stands otherwise: ${v.row.way}. It is checked again.`,
    touches: ofPieces,
  })

type OfBed = { id: number; revision: number; name: string }
const ofBed = (v: OfBed): Keys => [['bed', v.id]]

export const useTurnBed = () =>
  useDeed<OfBed & { quarters: number }>({
    run: (v) =>
      take(
        api.POST('/machines/{id}/bed/turn', {
          params: { path: { id: v.id } },
          body: { revision: v.revision, quarters: v.quarters },
        }),
      ),
    done: (v) => `The bed of ${v.name} is turned.`,
    touches: ofBed,
  })

export const useRenewBed = () =>
  useDeed<OfBed>({
    run: (v) =>
      take(api.POST('/machines/{id}/bed/renew', { params: { path: { id: v.id } }, body: { revision: v.revision } })),
    done: (v) => `${v.name} has a new bed.`,
    touches: ofBed,
  })

export const useReplaceFile = () =>
  useDeed<At & { upload: string }>({
    run: (v) =>
      take(
        api.POST('/pieces/{id}/file', {
          params: { path: { id: v.id } },
          body: { revision: v.revision, upload_id: v.upload },
        }),
      ),
    touches: ofPieces,
  })

/** Takes the last change of a piece back, or does it again. */
export const useStepPiece = () =>
  useDeed<At & { way: 'undo' | 'redo' }>({
    run: (v) => {
      const of = { params: { path: { id: v.id } }, body: { revision: v.revision } }
      return take(v.way === 'undo' ? api.POST('/pieces/{id}/undo', of) : api.POST('/pieces/{id}/redo', of))
    },
    touches: ofPieces,
  })

export const useNameSlice = () =>
  useDeed<{ id: number; name: string }>({
    run: (v) => take(api.PUT('/slices/{id}', { params: { path: { id: v.id } }, body: { name: v.name } })),
    touches: ofPieces,
  })

export const useRemoveSlice = () =>
  useDeed<number>({
    run: (id) => take(api.POST('/slices/{id}/remove', { params: { path: { id } } })),
    touches: ofPieces,
  })

export const useRepair = () =>
  useDeed<At & { steps: string[] }>({
    run: (v) =>
      take(
        api.POST('/pieces/{id}/repair', {
          params: { path: { id: v.id } },
          body: { revision: v.revision, steps: v.steps },
        }),
      ),
    done: () => 'The repaired version is being made.',
    touches: ofPieces,
  })

/** Repairs all pieces of a job by what their findings call for. */
export const useRepairAll = () =>
  useDeed<At & { pieces: number }>({
    run: (v) => take(api.POST('/jobs/{id}/repair', { params: { path: { id: v.id } }, body: { revision: v.revision } })),
    done: (v) =>
      v.pieces === 1 ? 'The repaired version is being made.' : `${v.pieces} repaired versions are being made.`,
    touches: ofPieces,
  })

/** What a piece's findings are drawn with; fetched when one is to be shown. */
export function useEvidence(
  piece: MaybeRefOrGetter<number | undefined>,
  version: MaybeRefOrGetter<number | undefined>,
  wanted: MaybeRefOrGetter<boolean>,
) {
  return useQuery({
    queryKey: computed(() => ['evidence', toValue(piece), toValue(version)]),
    queryFn: () =>
      take(
        api.GET('/pieces/{id}/evidence', {
          params: { path: { id: toValue(piece)! }, query: { version: toValue(version) } },
        }),
      ),
    enabled: () => toValue(piece) !== undefined && toValue(wanted),
  })
}

/** A piece's slices; asked for again and again while one is being made. */
export function useSlices(piece: MaybeRefOrGetter<number | undefined>) {
  return useQuery({
    queryKey: computed(() => ['slices', toValue(piece)]),
    queryFn: () => take(api.GET('/pieces/{id}/slices', { params: { path: { id: toValue(piece)! } } })),
    enabled: () => toValue(piece) !== undefined,
    refetchInterval: (q) => (q.state.data?.some((s) => s.state === 'queued' || s.state === 'running') ? 400 : false),
  })
}

export const useSettings = () =>
  useQuery({ queryKey: ['settings'], queryFn: () => take(api.GET('/settings')), staleTime: Infinity })

export const useOrderSlice = () =>
  useDeed<{ piece: number; order: SliceOrder }>({
    run: (v) => take(api.POST('/pieces/{id}/slices', { params: { path: { id: v.piece } }, body: v.order })),
    touches: ofPieces,
  })

export const useCancelSlice = () =>
  useDeed<number>({
    run: (id) => take(api.DELETE('/slices/{id}', { params: { path: { id } } })),
    touches: ofPieces,
  })

export const useAgainSlice = () =>
  useDeed<number>({
    run: (id) => take(api.POST('/slices/{id}/again', { params: { path: { id } } })),
    touches: ofPieces,
  })

export const useChooseSlice = () =>
  useDeed<Pick<SliceView, 'id' | 'together'>>({
    run: (s) => take(api.POST('/slices/{id}/choose', { params: { path: { id: s.id } } })),
    done: (s) => (s.together ? 'Approved: it lies on that plate.' : 'It counts now: a yes is to its plates.'),
    touches: ofPieces,
  })

export const useSavings = () =>
  useDeed<number>({
    run: (id) => take(api.POST('/slices/{id}/savings', { params: { path: { id } } })),
    touches: ofPieces,
  })

/** What could lie on one plate with a run, and what is being put there, looked at again and again meanwhile. */
export const useBeside = (id: MaybeRefOrGetter<number | undefined>) =>
  useQuery({
    queryKey: computed(() => ['beside', toValue(id)]),
    queryFn: () => take(api.GET('/runs/{id}/beside', { params: { path: { id: toValue(id)! } } })),
    enabled: () => toValue(id) !== undefined,
    refetchInterval: (q) => (q.state.data?.made.some((m) => !m.error) ? 400 : false),
  })

const ofBeside: () => Keys = () => [['beside'], ['job']]

export const usePutTogether = () =>
  useDeed<{ id: number; guest: number }>({
    run: (v) => take(api.POST('/runs/{id}/beside', { params: { path: { id: v.id } }, body: { run_id: v.guest } })),
    touches: ofBeside,
  })

export const useTakeOut = () =>
  useDeed<{ id: number; job: number; title: string }>({
    run: (v) => take(api.POST('/runs/{id}/take-out', { params: { path: { id: v.id } }, body: { job_id: v.job } })),
    done: (v) => `${v.title} lies on a plate of its own again.`,
    touches: ofBeside,
  })

/** Moves a run at once, as far as can be told here; the server's plan follows, or the move is taken back. */
export interface Moving {
  id: number
  machine_id: number
  place: number
  dearer?: boolean
}
/** ask is what is asked where it would cost more there, and what then is to be done. */
export function useMoveRun(ask?: (why: string, then: Moving) => void) {
  const client = useQueryClient()
  return useMutation({
    mutationFn: (v: Moving) =>
      take(
        api.POST('/runs/{id}/move', {
          params: { path: { id: v.id } },
          body: { machine_id: v.machine_id, place: v.place, dearer: v.dearer },
        }),
      ),
    onMutate: async (v) => {
      await client.cancelQueries({ queryKey: ['floor'] })
      const before = client.getQueryData<FloorView>(['floor'])
      if (before) client.setQueryData(['floor'], withRunAt(before, v.id, v))
      return before
    },
    onError: (e, v, before) => {
      client.setQueryData(['floor'], before)
      const dearer = e instanceof Refusal && e.fields.dearer
      if (dearer && ask) ask(dearer, { ...v, dearer: true })
      else say(e.message, 'refused')
    },
    onSettled: () => {
      for (const queryKey of [['floor'], ['shelf'], ['job']]) void client.invalidateQueries({ queryKey })
    },
  })
}

type Machine = HouseView['machines'][number]
type Material = HouseView['materials'][number]
type Recipe = HouseView['recipes'][number]

/** Writes one entry of the house; refusals go to the form. */
export function useSetHouse() {
  const client = useQueryClient()
  const after = async <T>(call: Promise<T>, what: string) => {
    await call
    say(`${what} is saved. Jobs still to decide are checked again.`)
    if (!isLive.value) return void (await client.invalidateQueries())
    await client.invalidateQueries({ queryKey: ['house'] })
  }
  return {
    house: (h: HouseView['house']) => after(take(api.PUT('/house', { body: h })), 'The house'),
    machine: (m: Machine) =>
      after(take(api.PUT('/machines/{id}', { params: { path: { id: m.id } }, body: m })), m.data.name),
    material: (m: Material) =>
      after(take(api.PUT('/materials/{id}', { params: { path: { id: m.id } }, body: m })), m.data.name),
    recipe: (r: Recipe) =>
      after(take(api.PUT('/recipes/{id}', { params: { path: { id: r.id } }, body: r })), r.data.name),
  }
}

/** What each machine does now. */
export const useMachines = () =>
  useQuery({ queryKey: ['machines'], queryFn: () => take(api.GET('/machines')), refetchInterval: 60_000 })

/** A machine, opened. */
export const useMachine = (id: MaybeRefOrGetter<number>) =>
  useQuery({
    queryKey: computed(() => ['machine', toValue(id)]),
    queryFn: () => take(api.GET('/machines/{id}', { params: { path: { id: toValue(id) } } })),
    refetchInterval: 60_000,
  })

type OfRun = { id: number; machine: number }
const ofRun = (v: OfRun): Keys => [['machine', v.machine], ['machines'], ['floor'], ['shelf'], ['job']]
const atRun = (v: OfRun) => ({ params: { path: { id: v.id } } })

export const useCheckRun = () =>
  useDeed<OfRun & { points: string[] }>({
    run: (v) => take(api.POST('/runs/{id}/check', { ...atRun(v), body: { points: v.points } })),
    touches: ofRun,
  })
export const useUncheckRun = () =>
  useDeed<OfRun>({ run: (v) => take(api.POST('/runs/{id}/uncheck', atRun(v))), touches: ofRun })
export const useStartRun = () =>
  useDeed<OfRun>({ run: (v) => take(api.POST('/runs/{id}/start', atRun(v))), touches: ofRun })
export const useSeeRun = () =>
  useDeed<OfRun>({ run: (v) => take(api.POST('/runs/{id}/seen', atRun(v))), touches: ofRun })
export type Telling = RunCourse['may']['tell'][number]
export const useTellRun = () =>
  useDeed<OfRun & { what: Telling }>({
    run: (v) => take(api.POST('/runs/{id}/tell', { ...atRun(v), body: { what: v.what } })),
    touches: ofRun,
  })
export const useWantRun = () =>
  useDeed<OfRun & { what: 'pause' | 'go on' | 'stop'; reason?: string }>({
    run: (v) => take(api.POST('/runs/{id}/want', { ...atRun(v), body: { what: v.what, reason: v.reason } })),
    touches: ofRun,
  })
export const useRunFailed = () =>
  useDeed<OfRun & { title: string; reason: string }>({
    run: (v) => take(api.POST('/runs/{id}/failed', { ...atRun(v), body: { reason: v.reason } })),
    done: (v) => `${v.title} is planned again, first on its machine.`,
    touches: ofRun,
  })
export const useTakeOff = () =>
  useDeed<OfRun & { title: string; bad: number[]; reason?: string }>({
    run: (v) => take(api.POST('/runs/{id}/off', { ...atRun(v), body: { bad: v.bad, reason: v.reason } })),
    done: (v) =>
      v.bad.length
        ? `${v.title} is off the machine; ${v.bad.length} of it ${v.bad.length === 1 ? 'is' : 'are'} planned again, first there.`
        : `${v.title} is off the machine.`,
    touches: ofRun,
  })
export const usePutBack = () =>
  useDeed<OfRun>({ run: (v) => take(api.POST('/runs/{id}/back', atRun(v))), touches: ofRun })
export const useClearBed = () =>
  useDeed<{ machine: number; name: string }>({
    run: (v) => take(api.POST('/machines/{id}/cleared', { params: { path: { id: v.machine } } })),
    done: (v) => `The bed of ${v.name} is clear.`,
    touches: (v) => ofRun({ id: 0, machine: v.machine }),
  })
export const useLoad = () =>
  useDeed<{
    machine: number
    nozzle: number
    material: string
    colour: string
    colour_name: string
    spool_id?: number
  }>({
    run: ({ machine, ...body }) => take(api.POST('/machines/{id}/loaded', { params: { path: { id: machine } }, body })),
    touches: (v) => [...ofRun({ id: 0, machine: v.machine }), ['house'], ['stores'], ['lines']],
  })
export const useLooked = () =>
  useDeed<undefined>({
    run: () => take(api.POST('/house/looked')),
    touches: () => [['house'], ['machines'], ['machine']],
  })
export const useFinishing = () =>
  useQuery({ queryKey: ['finishing'], queryFn: () => take(api.GET('/finishing')), refetchInterval: 60_000 })
export const useTellSteps = () =>
  useDeed<{ steps: number[]; what: PartView['steps'][number]['may'][number]; place?: string }>({
    run: (body) => take(api.POST('/steps', { body })),
    touches: () => [['finishing'], ['job']],
  })
export const usePutAt = () =>
  useDeed<{ id: number; place: string }>({
    run: ({ id, ...body }) => take(api.POST('/jobs/{id}/place', { params: { path: { id } }, body })),
    touches: () => [['finishing'], ['job']],
  })
export const useFetchBy = () =>
  useDeedTelling<{ code: string }, { title: string; member: string; cents: number }>({
    run: (body) => take(api.POST('/fetched', { body })),
    done: (o) => `${o.title} is handed over to ${o.member}.`,
    touches: () => [['finishing'], ['job'], ['accounts'], ['account']],
  })
export const useHouseFinishing = () =>
  useQuery({ queryKey: ['house', 'finishing'], queryFn: () => take(api.GET('/house/finishing')) })
export function useSetHouseFinishing() {
  const client = useQueryClient()
  return async (body: HouseFinishing) => {
    await take(api.PUT('/house/finishing', { body }))
    await client.invalidateQueries({ queryKey: ['house', 'finishing'] })
  }
}
export const useAccounts = () => useQuery({ queryKey: ['accounts'], queryFn: () => take(api.GET('/accounts')) })
export const useAccount = (id: MaybeRefOrGetter<number>) =>
  useQuery({
    queryKey: computed(() => ['account', toValue(id)]),
    queryFn: () => take(api.GET('/accounts/{id}', { params: { path: { id: toValue(id) } } })),
  })
const ofAccounts = (): Keys => [['accounts'], ['account']]
export const usePay = () =>
  useDeed<{ member: number; cents: number }>({
    run: (v) => take(api.POST('/accounts/{id}/paid', { params: { path: { id: v.member } }, body: { cents: v.cents } })),
    touches: ofAccounts,
  })
export const useCorrectAccount = () =>
  useDeed<{ member: number; cents: number; why: string }>({
    run: ({ member, ...body }) =>
      take(api.POST('/accounts/{id}/corrected', { params: { path: { id: member } }, body })),
    touches: ofAccounts,
  })
export const useStores = () =>
  useQuery({ queryKey: ['stores'], queryFn: () => take(api.GET('/spools')), refetchInterval: 60_000 })
export const useSpoolLines = (id: MaybeRefOrGetter<number>) =>
  useQuery({
    queryKey: computed(() => ['lines', toValue(id)]),
    queryFn: () => take(api.GET('/spools/{id}/lines', { params: { path: { id: toValue(id) } } })),
  })
const ofSpools = (): Keys => [['stores'], ['lines'], ['machines'], ['machine']]
const atSpool = (id: number) => ({ params: { path: { id } } })
export const useReceiveSpools = () =>
  useDeed<Delivery, number[]>({
    run: (body) => take(api.POST('/spools', { body })),
    done: (v) => (v.spools === 1 ? 'A spool is in the books.' : `${v.spools} spools are in the books.`),
    touches: ofSpools,
  })
export const useTurnSpool = () =>
  useDeed<At & { what: SpoolView['may'][number] }>({
    run: ({ id, ...body }) => take(api.POST('/spools/{id}/told', { ...atSpool(id), body })),
    touches: ofSpools,
  })
export const useWeighSpool = () =>
  useDeed<At & { grams: number; reel_grams?: number }>({
    run: ({ id, ...body }) => take(api.POST('/spools/{id}/weighed', { ...atSpool(id), body })),
    done: () => 'What it weighs is in the books.',
    touches: ofSpools,
  })
export const useCorrectSpool = () =>
  useDeed<At & { grams: number; why: string }>({
    run: ({ id, ...body }) => take(api.POST('/spools/{id}/corrected', { ...atSpool(id), body })),
    touches: ofSpools,
  })
export const usePutSpool = () =>
  useDeed<At & { place: string }>({
    run: ({ id, ...body }) => take(api.POST('/spools/{id}/place', { ...atSpool(id), body })),
    touches: ofSpools,
  })
export const useAddPart = () =>
  useDeed<NewPart>({
    run: (body) => take(api.POST('/wear-parts', { body })),
    done: (v) => `What ${v.name} does is counted.`,
    touches: ofSpools,
  })
type PartOf = { part: WearView }
const atPart = (v: PartOf) => ({ params: { path: { id: v.part.id } } })
export const useSetPart = () =>
  useDeed<PartOf & Pick<WearView, 'name' | 'nozzle' | 'limit_hours' | 'limit_grams'>>({
    run: ({ part, ...is }) =>
      take(api.PUT('/wear-parts/{id}', { ...atPart({ part }), body: { revision: part.revision, ...is } })),
    touches: ofSpools,
  })
export const useRenewPart = () =>
  useDeed<PartOf>({
    run: (v) => take(api.POST('/wear-parts/{id}/renew', { ...atPart(v), body: { revision: v.part.revision } })),
    done: (v) => `${v.part.name} of ${v.part.machine} counts anew.`,
    touches: ofSpools,
  })
export const useRemovePart = () =>
  useDeed<PartOf>({
    run: (v) => take(api.POST('/wear-parts/{id}/remove', { ...atPart(v), body: { revision: v.part.revision } })),
    touches: ofSpools,
  })
export const useWarm = () =>
  useDeed<{ machine: number; what: MachineNow['warm'][number] }>({
    run: (v) => take(api.POST('/machines/{id}/warm', { params: { path: { id: v.machine } }, body: { for: v.what } })),
    touches: (v) => [['machine', v.machine]],
  })
export const useUnsayRun = () =>
  useDeed<OfRun>({ run: (v) => take(api.POST('/runs/{id}/unsay', atRun(v))), touches: ofRun })
