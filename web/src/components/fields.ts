import type { Setting } from '../api/client'
import { plainNumber } from '../composables/numbers'

export { plainNumber }

/** One thing a steward can set. path goes into the entry's data. */
export interface Field {
  path: string
  label: string
  /** What it does, in plain words. */
  does?: string
  unit?: string
  kind?: 'number' | 'text' | 'lines' | 'bool' | 'colour' | 'money' | 'choice' | 'numbers'
  /** Stands in an empty field. */
  empty?: string
  /** 0 is a value, not an empty field. */
  zero?: boolean
  hint?: string
  /** The field without which this one does nothing. */
  needs?: string
  choices?: readonly string[]
  /** Shows the field only where it makes sense. */
  only?: (data: Record<string, unknown>) => boolean
}

const extrusion = (d: Record<string, unknown>) => d.process === 'material extrusion'
const twoNozzles = (d: Record<string, unknown>) => extrusion(d) && ((d.nozzles_mm as unknown[] | null)?.length ?? 0) > 1

export const valuesOf = (names: readonly string[] | null) => `Values: ${(names ?? []).map((n) => `{${n}}`).join(' ')}`

/** Whether what needs a setting does nothing, as that one is off, none or nought. */
export function idle(needs: string | undefined, data: unknown): boolean {
  const v = needs && valueAt(data, needs)
  return v === 'off' || v === 'none' || v === 0
}

const kinds: Record<Setting['type'], NonNullable<Field['kind']>> = {
  number: 'number',
  'whole number': 'number',
  text: 'text',
  lines: 'lines',
  choice: 'choice',
  list: 'numbers',
  money: 'money',
  colour: 'colour',
  'yes or no': 'bool',
}

/** A form is made of what the server says can be set. */
export const fieldsOf = (settings: readonly Setting[]): Field[] =>
  settings.map((s) => ({
    path: s.key,
    label: s.name,
    does: s.text,
    unit: s.unit,
    choices: s.choices ?? undefined,
    empty: s.unset,
    zero: s.zero,
    needs: s.with,
    kind: kinds[s.type],
    hint: s.values ? valuesOf(s.values) : undefined,
    only: s.of && { extrusion, 'two nozzles': twoNozzles }[s.of],
  }))
export const recipeFields = (settings: readonly Setting[]): Field[] => [
  { path: 'name', label: 'Name', kind: 'text' },
  ...fieldsOf(settings),
]

/** A setting's value in a recipe, or what holds where it is left out. */
export function holds(s: Setting, recipe: object | undefined): string {
  const v = valueAt(recipe, s.key)
  const none = v === undefined || v === null || v === '' || (Array.isArray(v) && !v.length)
  if (none || (v === 0 && s.unset && !s.zero)) return s.unset ?? 'none'
  return Array.isArray(v) ? v.join(', ') : plainNumber(v)
}

/** The fields in whose label or name every word is found. */
export function fieldsWith(fields: readonly Field[], words: string): Field[] {
  const all = words.toLowerCase().split(/\s+/).filter(Boolean)
  return fields.filter((x) =>
    all.every((w) =>
      `${x.label} ${x.does ?? ''} ${x.path.replaceAll('_', ' ')} ${x.unit ?? ''}`.toLowerCase().includes(w),
    ),
  )
}

type Bag = Record<string, unknown>

export function valueAt(data: unknown, path: string): unknown {
  return path.split('.').reduce<unknown>((d, k) => (d as Bag | undefined)?.[k], data)
}

export function setAt(data: unknown, path: string, value: unknown) {
  const keys = path.split('.')
  const last = keys.pop()!
  ;(valueAtKeys(data, keys) as Bag)[last] = value
}

const valueAtKeys = (data: unknown, keys: string[]) => keys.reduce<unknown>((d, k) => (d as Bag)[k], data)

/** "10:00-13:00, 14:00-21:00" and back; undefined where it is none. */
export interface Span {
  from: number
  to: number
}
const clock = (m: number) => `${String(Math.floor(m / 60)).padStart(2, '0')}:${String(m % 60).padStart(2, '0')}`
export const hoursText = (spans: readonly Span[]) => spans.map((s) => `${clock(s.from)}–${clock(s.to)}`).join(', ')
export function parseHours(text: string): Span[] | undefined {
  if (!text.trim() || /^closed$/i.test(text.trim())) return []
  const out: Span[] = []
  for (const part of text.split(',')) {
    const m = /^\s*(\d{1,2})[:.]?(\d{2})?\s*[-–]\s*(\d{1,2})[:.]?(\d{2})?\s*$/.exec(part)
    if (!m) return undefined
    const span = { from: Number(m[1]) * 60 + Number(m[2] ?? 0), to: Number(m[3]) * 60 + Number(m[4] ?? 0) }
    if (span.to > 1440 || span.from >= span.to) return undefined
    out.push(span)
  }
  return out
}
