import { computed, inject, provide, type ComputedRef, type InjectionKey } from 'vue'
import { useHouse } from '../api/queries'
import { plainNumber, readNumber } from './numbers'

export interface Formats {
  money(cents: number | undefined): string
  number(v: number, digits?: number): string
  grams(g: number | undefined): string
  metres(m: number | undefined): string
  mm(v: number): string
  duration(s: number | undefined): string
  day(iso: string | undefined): string
  moment(iso: string | undefined): string
  clock(iso: string | undefined): string
  /** The day of a moment, where the house is. */
  dayOf(iso: string): string
  /** Weekday and time within the next six days, the whole date beyond. */
  soon(iso: string | undefined): string
  /** A number as it is typed here, without groups; with so many digits, or as many as it has. */
  typed(v: number, digits?: number): string
  /** What somebody typed, as a number; undefined where it is none. */
  read(text: string): number | undefined
}

/** Numbers with their units, and days and times where the house is. */
export function formats(locale: string, currency: string, timeZone: string): Formats {
  const plain = new Map<number, Intl.NumberFormat>()
  const number = (v: number, digits = 0) => {
    let f = plain.get(digits)
    if (!f)
      plain.set(
        digits,
        (f = new Intl.NumberFormat(locale, { minimumFractionDigits: digits, maximumFractionDigits: digits })),
      )
    return f.format(v)
  }
  const money = new Intl.NumberFormat(locale, { style: 'currency', currency })
  const day = new Intl.DateTimeFormat(locale, { weekday: 'short', day: 'numeric', month: 'short', timeZone: 'UTC' })
  const moment = new Intl.DateTimeFormat(locale, {
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
    timeZone,
  })
  const dayOf = new Intl.DateTimeFormat(locale, { weekday: 'short', day: 'numeric', month: 'short', timeZone })
  const weekday = new Intl.DateTimeFormat(locale, { weekday: 'short', timeZone })
  const clock = new Intl.DateTimeFormat(locale, { hour: '2-digit', minute: '2-digit', timeZone })
  const on = <T>(v: T | undefined | null, f: (v: T) => string) => (v === undefined || v === null ? '–' : f(v))
  const parts = new Intl.NumberFormat(locale).formatToParts(0.5)
  const point = parts.find((p) => p.type === 'decimal')?.value ?? '.'
  return {
    number,
    typed: (v, digits) => (digits === undefined ? plainNumber(v) : v.toFixed(digits)).replace('.', point),
    read: (text) => readNumber(text, point),
    money: (c) => on(c, (v) => money.format(v / 100)),
    grams: (g) => on(g, (v) => `${number(v, v < 100 ? 1 : 0)} g`),
    metres: (m) => on(m, (v) => `${number(v, 2)} m`),
    mm: (v) => `${number(v, v >= 100 ? 1 : 2)} mm`,
    duration: (s) =>
      on(s, (v) => {
        const minutes = Math.max(1, Math.round(v / 60))
        const h = Math.floor(minutes / 60)
        const m = minutes % 60
        if (h === 0) return `${m} min`
        return `${h} h ${String(m).padStart(2, '0')} min`
      }),
    day: (iso) => on(iso || undefined, (v) => day.format(new Date(v + 'T00:00:00Z'))),
    moment: (iso) => on(iso, (v) => moment.format(new Date(v))),
    dayOf: (iso) => dayOf.format(new Date(iso)),
    soon: (iso) =>
      on(iso, (v) => {
        const t = new Date(v)
        return t.getTime() - Date.now() < 6 * 86_400_000 ? `${weekday.format(t)} ${clock.format(t)}` : moment.format(t)
      }),
    clock: (iso) => on(iso, (v) => clock.format(new Date(v))),
  }
}

const beforeLoaded = formats('en-GB', 'EUR', 'UTC')
const formatsKey: InjectionKey<ComputedRef<Formats>> = Symbol('formats')

/** Makes the house's formats, once for the whole app. */
export function provideFormats(signedIn: () => boolean) {
  const house = useHouse(signedIn)
  const made = computed(() => {
    const h = house.data.value?.house
    if (!h) return beforeLoaded
    try {
      return formats(h.locale, h.currency, h.time_zone)
    } catch {
      return beforeLoaded // a locale or zone this browser does not know
    }
  })
  provide(formatsKey, made)
}

/** The code of the house's currency. */
export function useCurrency() {
  const house = useHouse()
  return computed(() => house.data.value?.house.currency ?? '')
}

/** How the house writes: its language and place, as "en-GB". */
export function useLocaleTag() {
  const house = useHouse()
  return computed(() => house.data.value?.house.locale ?? 'en-GB')
}

/** The house's formats; until they are loaded, plain ones. */
export const useFormats = () =>
  inject(
    formatsKey,
    computed(() => beforeLoaded),
  )
