import type { Setting, SliceView } from '../api/client'

/** What a variant is called: its name, or what differs from the recipe. */
export function variantName(s: SliceView, settingOf: (key: string) => Setting | undefined): string {
  const hand = [
    s.support_marks?.length ? 'support by hand' : '',
    s.regions?.length ? `${s.regions.length} ${s.regions.length === 1 ? 'place' : 'places'} filled otherwise` : '',
    s.pins?.length ? `${s.pins.length} pinned` : '',
  ].filter(Boolean)
  const changed = s.overrides.map((d) => `${settingOf(d.key)?.name ?? d.key} ${d.value}`).join(', ')
  return [s.label || changed || 'house recipe', ...hand].join(', ')
}

/** By the recipe alone, all as the layout would have it. */
export const isPlain = (s: SliceView) =>
  !s.overrides.length && !s.support_marks?.length && !s.regions?.length && !s.pins?.length

/** How many copies lie on how many plates. */
export function lying(s: SliceView) {
  const copies = s.plates.reduce((n, p) => n + p.spots.length, 0)
  return copies < 2 ? '' : `${copies} copies on ${s.plates.length === 1 ? 'one plate' : `${s.plates.length} plates`}`
}

const signed = (v: number, show: (n: number) => string) => (v < 0 ? '−' : '+') + show(Math.abs(v))
interface Shows {
  duration(s: number): string
  grams(g: number): string
  money(cents: number): string
}
/** What something takes more or less than another, in words. */
export const more = {
  time: (s: number, f: Shows) => (Math.abs(s) < 30 ? '±0 min' : signed(s, f.duration)),
  grams: (g: number, f: Shows) => signed(g, f.grams),
  money: (cents: number, f: Shows) => signed(cents, f.money),
}
