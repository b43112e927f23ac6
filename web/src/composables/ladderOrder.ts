import { useLocalStorage } from '@vueuse/core'
import type { LadderRow } from '../api/client'

/** By what a ladder's rows are put in order; none is the server's order: the house's machines, the best orientation first. */
export const ladderColumns = [
  { key: 'seconds', title: 'Time', hint: 'With warm-up' },
  { key: 'grams', title: 'Filament', hint: '' },
  { key: 'price_cents', title: 'Price', hint: '' },
  { key: 'finish', title: 'Finished', hint: '' },
] as const
type Key = (typeof ladderColumns)[number]['key']

const by = useLocalStorage<Key | ''>('ladder order', '')

/** Ladders in the order that somebody chose, everywhere and until it is chosen otherwise. */
export function useLadderOrder() {
  const value = (r: LadderRow) => {
    if (!r.takes || by.value === '') return Infinity
    const v = r[by.value]
    return v === undefined ? Infinity : typeof v === 'number' ? v : Date.parse(v)
  }
  return {
    by,
    choose: (key: Key) => (by.value = by.value === key ? '' : key),
    ordered: (rows: readonly LadderRow[]) =>
      by.value === '' ? rows : [...rows].sort((a, b) => (value(a) < value(b) ? -1 : value(a) > value(b) ? 1 : 0)),
  }
}
