import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, toValue, type MaybeRefOrGetter } from 'vue'
import { say } from '../composables/notices'
import { api, Refusal, take, type HouseView, type PieceChange, type SliceOrder } from './client'

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

/** Who works in the house now. */
export const useWorkers = () =>
  useQuery({ queryKey: ['workers'], queryFn: () => take(api.GET('/workers')), refetchInterval: 10_000 })

/** How much room the own files take, and the house's for its coordinators. */
export const useStorage = (enabled: MaybeRefOrGetter<boolean>) =>
  useQuery({ queryKey: ['storage'], queryFn: () => take(api.GET('/storage')), enabled: () => toValue(enabled) })

export const usePeople = (enabled: MaybeRefOrGetter<boolean>) =>
  useQuery({ queryKey: ['people'], queryFn: () => take(api.GET('/people')), enabled: () => toValue(enabled) })

export function useJob(id: MaybeRefOrGetter<number | undefined>) {
  return useQuery({
    queryKey: computed(() => ['job', toValue(id)]),
    queryFn: () => take(api.GET('/jobs/{id}', { params: { path: { id: toValue(id)! } } })),
    enabled: () => toValue(id) !== undefined,
  })
}

/** A deed: runs, reloads what it may have changed, and says so when refused. */
function useDeed<V>(run: (v: V) => Promise<unknown>, done?: (v: V) => string) {
  const client = useQueryClient()
  return useMutation({
    mutationFn: run,
    onSuccess: (_, v) => {
      if (done) say(done(v))
    },
    onError: (e) => say(e.message, 'refused'),
    onSettled: () => void client.invalidateQueries(),
  })
}

interface At {
  id: number
  revision: number
}

export const useApprove = () =>
  useDeed(
    (v: At & { machine_id?: number; machine: string; title: string; sliced: boolean }) =>
      take(
        api.POST('/jobs/{id}/approve', {
          params: { path: { id: v.id } },
          body: { revision: v.revision, machine_id: v.machine_id },
        }),
      ),
    (v) =>
      v.sliced
        ? `${v.title} is queued on ${v.machine}.`
        : `${v.title} is sliced for ${v.machine}, and queued if that keeps to the yes.`,
  )

export const useTakeBack = () =>
  useDeed(
    (v: At & { title: string }) =>
      take(api.POST('/jobs/{id}/take-back', { params: { path: { id: v.id } }, body: { revision: v.revision } })),
    (v) => `${v.title} is to be decided again.`,
  )

export const useWithdraw = () =>
  useDeed(
    (v: At & { title: string; reason: string }) =>
      take(
        api.POST('/jobs/{id}/withdraw', {
          params: { path: { id: v.id } },
          body: { revision: v.revision, reason: v.reason },
        }),
      ),
    (v) => `${v.title} is withdrawn.`,
  )

export const useSendBack = () =>
  useDeed(
    (v: At & { reason: string; title: string }) =>
      take(
        api.POST('/jobs/{id}/send-back', {
          params: { path: { id: v.id } },
          body: { revision: v.revision, reason: v.reason },
        }),
      ),
    (v) => `${v.title} is sent back.`,
  )

export const useRunFailed = () =>
  useDeed(
    (v: At & { reason: string; title: string }) =>
      take(
        api.POST('/jobs/{id}/run-failed', {
          params: { path: { id: v.id } },
          body: { revision: v.revision, reason: v.reason },
        }),
      ),
    (v) => `${v.title} is planned again, first on its machine.`,
  )

export const useAdvance = () =>
  useDeed((v: At) =>
    take(api.POST('/jobs/{id}/advance', { params: { path: { id: v.id } }, body: { revision: v.revision } })),
  )

export const useCheckAgain = () =>
  useDeed((id: number) => take(api.POST('/jobs/{id}/check', { params: { path: { id } } })))

export const useCancelCheck = () =>
  useDeed((id: number) => take(api.DELETE('/jobs/{id}/check', { params: { path: { id } } })))

export const useChangePiece = () =>
  useDeed((v: { id: number; body: PieceChange }) =>
    take(api.PUT('/pieces/{id}', { params: { path: { id: v.id } }, body: v.body })),
  )

export const useRepair = () =>
  useDeed(
    (v: At & { steps: string[] }) =>
      take(
        api.POST('/pieces/{id}/repair', {
          params: { path: { id: v.id } },
          body: { revision: v.revision, steps: v.steps },
        }),
      ),
    () => 'The repaired version is being made.',
  )

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
  useDeed((v: { piece: number; order: SliceOrder }) =>
    take(api.POST('/pieces/{id}/slices', { params: { path: { id: v.piece } }, body: v.order })),
  )

export const useCancelSlice = () =>
  useDeed((id: number) => take(api.DELETE('/slices/{id}', { params: { path: { id } } })))

export const useAgainSlice = () =>
  useDeed((id: number) => take(api.POST('/slices/{id}/again', { params: { path: { id } } })))

export const useChooseSlice = () =>
  useDeed(
    (id: number) => take(api.POST('/slices/{id}/choose', { params: { path: { id } } })),
    () => 'It counts now: a yes is to its plates.',
  )

export const useSavings = () =>
  useDeed((id: number) => take(api.POST('/slices/{id}/savings', { params: { path: { id } } })))

export const useMoveRun = () =>
  useDeed((v: { id: number; machine_id: number; place: number }) =>
    take(
      api.POST('/runs/{id}/move', {
        params: { path: { id: v.id } },
        body: { machine_id: v.machine_id, place: v.place },
      }),
    ),
  )

type Machine = HouseView['machines'][number]
type Material = HouseView['materials'][number]
type Recipe = HouseView['recipes'][number]

/** Writes one entry of the house; refusals go to the form. */
export function useSetHouse() {
  const client = useQueryClient()
  const after = async <T>(call: Promise<T>, what: string) => {
    await call
    say(`${what} is saved. Jobs still to decide are checked again.`)
    await client.invalidateQueries()
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
