import { computed, ref } from 'vue'
import type { FloorView } from '../api/client'
import type { Formats } from './format'

const hour = 3_600_000
const scales = [52, 30, 14]
const days = 7

/** The week of the floor along one line: where a moment is, what is closed, and its marks, in pixels. */
export function useHours(floor: () => FloorView | undefined, f: () => Formats) {
  const scale = ref(0)
  const perHour = computed(() => scales[scale.value]!)
  const from = computed(() => {
    const started = (floor()?.lanes ?? []).flatMap((l) =>
      l.runs.filter((r) => r.start).map((r) => Date.parse(r.start!)),
    )
    const first = Math.min(Date.parse(floor()?.now ?? '') - hour, ...started)
    return Math.floor(first / hour) * hour
  })
  const width = computed(() => days * 24 * perHour.value)
  const x = (t: number) => ((t - from.value) / hour) * perHour.value
  const at = (iso: string) => x(Date.parse(iso))
  const closed = computed(() => {
    const out: { left: number; width: number }[] = []
    let edge = 0
    for (const o of floor()?.open ?? []) {
      const a = at(o.from)
      if (a > edge) out.push({ left: edge, width: Math.min(a, width.value) - edge })
      edge = Math.max(edge, at(o.to))
    }
    if (edge < width.value) out.push({ left: edge, width: width.value - edge })
    return out.filter((c) => c.width > 0)
  })
  const ticks = computed(() => {
    const every = perHour.value > 40 ? 1 : perHour.value > 20 ? 2 : 4
    const out: { left: number; text: string; day: string }[] = []
    let before = ''
    for (let t = from.value; x(t) < width.value; t += hour) {
      const iso = new Date(t).toISOString()
      const h = Number(f().clock(iso).slice(0, 2))
      const day = f().dayOf(iso)
      if (h % every === 0 || day !== before)
        out.push({ left: x(t), text: String(h).padStart(2, '0'), day: day !== before ? day : '' })
      before = day
    }
    return out
  })
  return {
    width,
    at,
    closed,
    ticks,
    /** How much of the week is in view, in words. */
    words: computed(() =>
      perHour.value > 40 ? 'a day in view' : perHour.value > 20 ? 'a day and a half in view' : 'three days in view',
    ),
    zoom: () => (scale.value = (scale.value + 1) % scales.length),
    /** The moment that is so many pixels from the beginning. */
    moment: (px: number) => from.value + (px / perHour.value) * hour,
  }
}
