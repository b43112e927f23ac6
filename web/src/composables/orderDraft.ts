import { useLocalStorage } from '@vueuse/core'
import { computed, toValue, type MaybeRefOrGetter } from 'vue'
import type { Overhang, Override, Region, SliceOrder, SliceView, SupportMark } from '../api/client'
import { useWho } from '../api/queries'
import { marked, middle } from '../components/overhangs'

/** A place that is to be filled otherwise, as it is typed: its middle and edge in mm. */
export interface Place {
  at: [number, number, number]
  edge: string
  shells: string
  infill: string
  why: string
}

/** How the next slice is to differ from the recipe. */
export interface OrderDraft {
  overrides: Override[]
  marks: SupportMark[]
  places: Place[]
  /** Copies that were put somewhere on the plates of a slice. */
  pins: { slice: number; at: Pin[] } | null
}

export type Pin = NonNullable<SliceView['pins']>[number]

const empty = (): OrderDraft => ({ overrides: [], marks: [], places: [], pins: null })
const copy = <T>(v: T): T => JSON.parse(JSON.stringify(v)) as T
const most = 100

/** The corners of a cube, as overhangs have theirs: bit 0 is x, 1 is y, 2 is z. */
export const cube = (at: readonly number[], edge: number) =>
  Array.from({ length: 8 }, (_, n) => at.map((v, k) => v + (n & (1 << k) ? edge / 2 : -edge / 2)))

/** Reads what was typed of a place; undefined while something is missing or is no number. */
export function regionOf(p: Place, read: (text: string) => number | undefined): Region | undefined {
  const edge = read(p.edge)
  const shells = p.shells.trim() ? read(p.shells) : undefined
  const infill = p.infill.trim() ? read(p.infill) : undefined
  if (!edge || edge <= 0 || !p.why.trim()) return undefined
  if (p.shells.trim() && !(shells !== undefined && Number.isInteger(shells) && shells >= 1 && shells <= 20))
    return undefined
  if (p.infill.trim() && !(infill !== undefined && infill >= 0 && infill <= 100)) return undefined
  if (shells === undefined && infill === undefined) return undefined
  return { corners_mm: cube(p.at, edge), shells, infill_percent: infill, why: p.why.trim() }
}

/** A region of a slice as it would be typed. */
export function placeOf(r: Region, show: (v: number) => string): Place {
  const c = r.corners_mm ?? []
  const xs = c.map((p) => p?.[0] ?? 0)
  return {
    at: middle(c) as Place['at'],
    edge: show(Math.max(...xs) - Math.min(...xs)),
    shells: r.shells === undefined ? '' : show(r.shells),
    infill: r.infill_percent === undefined ? '' : show(r.infill_percent),
    why: r.why,
  }
}

interface Kept {
  now: OrderDraft
  past: OrderDraft[]
  future: OrderDraft[]
}

/** What is being asked for of a piece's next slice. It is kept over reloads, and each change can be taken back. */
export function useOrderDraft(piece: MaybeRefOrGetter<number>) {
  // Somebody else who signs in here has their own.
  const who = useWho()
  const all = useLocalStorage<Record<string, Kept>>(
    `orders of ${who.data.value?.id ?? 0}`,
    {},
    { writeDefaults: false },
  )
  const kept = computed<Kept>(() => {
    const k = all.value[toValue(piece)]
    return k ? { ...k, now: { ...empty(), ...k.now } } : { now: empty(), past: [], future: [] }
  })
  const put = (k: Kept) => (all.value = { ...all.value, [toValue(piece)]: k })
  const draft = computed(() => kept.value.now)
  function change(how: (d: OrderDraft) => void) {
    const next = copy(draft.value)
    how(next)
    if (JSON.stringify(next) === JSON.stringify(draft.value)) return
    put({ now: next, past: [...kept.value.past, copy(draft.value)].slice(-most), future: [] })
  }
  const blank = computed(() => JSON.stringify({ ...draft.value, pins: null }) === JSON.stringify(empty()))
  function step(from: 'past' | 'future', to: 'past' | 'future') {
    const k = copy(kept.value)
    const next = k[from].pop()
    if (!next) return
    k[to].push(k.now)
    put({ ...k, now: next })
  }
  return {
    draft,
    blank,
    change,
    undo: () => step('past', 'future'),
    redo: () => step('future', 'past'),
    undoable: computed(() => kept.value.past.length > 0),
    redoable: computed(() => kept.value.future.length > 0),
    clear: () => change((d) => Object.assign(d, empty())),
    /** A change that goes on from a variant, where nothing else has been asked for yet. */
    from: (s: SliceView | undefined, show: (v: number) => string, how: (d: OrderDraft) => void) =>
      change((d) => {
        if (blank.value && s) {
          d.overrides = copy(s.overrides)
          d.marks = copy(s.support_marks ?? [])
          d.places = (s.regions ?? []).map((r) => placeOf(r, show))
        }
        how(d)
      }),
    mark: (d: OrderDraft, o: Overhang, putIn: boolean) => (d.marks = marked(d.marks, o, putIn)),
  }
}

/** The order as it is sent; undefined while a reason or a value is missing. */
export function orderOf(
  d: OrderDraft,
  machine: number,
  read: (text: string) => number | undefined,
): SliceOrder | undefined {
  const regions = d.places.map((p) => regionOf(p, read))
  if (!d.overrides.every((o) => o.value.trim() && o.why.trim())) return undefined
  if (!d.marks.every((m) => m.why.trim()) || regions.includes(undefined)) return undefined
  return {
    machine_id: machine,
    overrides: d.overrides,
    support_marks: d.marks,
    ...(regions.length ? { regions: regions as Region[] } : {}),
  }
}
