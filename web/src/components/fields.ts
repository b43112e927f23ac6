import type { HouseView, Setting } from '../api/client'

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

type Texts = HouseView['texts']

/** texts says what holds where a block is empty. */
export const machineFields = (texts: Texts): Field[] => [
  { path: 'name', label: 'Name', kind: 'text' },
  { path: 'in_service', label: 'In service', kind: 'bool' },
  { path: 'volume.shape', label: 'Plate', kind: 'choice', choices: ['rectangle', 'round'] },
  { path: 'volume.x_mm', label: 'Width, or diameter', unit: 'mm' },
  { path: 'volume.y_mm', label: 'Depth', unit: 'mm' },
  { path: 'volume.z_mm', label: 'Height', unit: 'mm' },
  { path: 'nozzles_mm', label: 'Nozzles', unit: 'mm', kind: 'numbers', only: extrusion },
  { path: 'filament_mm', label: 'Filament thickness', unit: 'mm', only: extrusion },
  { path: 'nozzle_max_c', label: 'Nozzle at most', unit: '°C', only: extrusion },
  { path: 'bed_max_c', label: 'Bed at most', unit: '°C', only: extrusion },
  { path: 'motion.speed_mm_per_s', label: 'Highest speed', unit: 'mm/s', only: extrusion },
  { path: 'motion.accel_mm_per_s2', label: 'Acceleration', unit: 'mm/s²', only: extrusion },
  { path: 'motion.junction_deviation_mm', label: 'Junction deviation', unit: 'mm', only: extrusion },
  { path: 'motion.lift_mm_per_s', label: 'Speed in height', unit: 'mm/s', only: extrusion },
  { path: 'motion.lift_accel_mm_per_s2', label: 'Acceleration in height', unit: 'mm/s²', empty: 'the same', only: extrusion },
  { path: 'motion.rests_in_height', label: 'Rests before moves in height', kind: 'bool', only: extrusion },
  { path: 'warm_up.nozzle_c_per_s', label: 'Nozzle warms', unit: '°C/s', only: extrusion },
  { path: 'warm_up.bed_c_per_s', label: 'Bed warms', unit: '°C/s', only: extrusion },
  { path: 'warm_up.homing_s', label: 'Homing', unit: 's', only: extrusion },
  { path: 'material', label: 'Loaded material', kind: 'text' },
  { path: 'colour_name', label: 'Loaded colour', kind: 'text' },
  { path: 'colour', label: 'Shown as', kind: 'colour' },
  { path: 'second.material', label: 'In nozzle 2: material', kind: 'text', only: twoNozzles },
  { path: 'second.colour_name', label: 'In nozzle 2: colour', kind: 'text', only: twoNozzles },
  { path: 'change_s', label: 'A change of nozzle takes', unit: 's', only: twoNozzles },
  { path: 'idle_off_s', label: 'Heat off by itself', unit: 's', empty: 'never', only: extrusion },
  { path: 'rate_cents_per_hour', label: 'Price of an hour', kind: 'money' },
  { path: 'dialect.arcs', label: 'Understands arcs', kind: 'bool', only: extrusion },
  { path: 'dialect.absolute_e', label: 'Filament from the start (M82)', kind: 'bool', only: extrusion },
  { path: 'dialect.start', label: 'Before a print', kind: 'lines', hint: valuesOf(texts.block_names), empty: texts.start, only: extrusion },
  { path: 'dialect.end', label: 'After a print', kind: 'lines', empty: texts.end, only: extrusion },
  { path: 'dialect.change', label: 'To change the nozzle', kind: 'lines', empty: texts.change, only: twoNozzles },
]

export const materialFields: Field[] = [
  { path: 'name', label: 'Name', kind: 'text' },
  { path: 'density_g_per_cm3', label: 'Density', unit: 'g/cm³' },
  { path: 'spool_grams', label: 'A full spool or bottle', unit: 'g' },
  { path: 'spool_cents', label: 'It costs', kind: 'money' },
  { path: 'nozzle_c', label: 'Nozzle, usual', unit: '°C' },
  { path: 'nozzle_max_c', label: 'Nozzle at most', unit: '°C' },
  { path: 'bed_c', label: 'Bed, usual', unit: '°C' },
  { path: 'shrink_percent', label: 'Shrinks by', unit: '%' },
  { path: 'drying', label: 'Drying', kind: 'text' },
]

/** A recipe's form is made of what the server says a recipe can set. */
export function recipeFields(settings: readonly Setting[]): Field[] {
  return [
    { path: 'name', label: 'Name', kind: 'text' },
    ...settings.map((s): Field => ({
      path: s.key, label: s.name, does: s.text, unit: s.unit, choices: s.choices ?? undefined, empty: s.unset, zero: s.zero, needs: s.with,
      kind: s.type === 'choice' ? 'choice' : s.type === 'list' ? 'numbers' : s.type === 'text' ? 'text' : 'number',
    })),
  ]
}

/** A setting's value in a recipe, or what holds where it is left out. */
export function holds(s: Setting, recipe: object | undefined): string {
  const v = valueAt(recipe, s.key)
  const none = v === undefined || v === null || v === '' || (Array.isArray(v) && !v.length)
  if (none || (v === 0 && s.unset && !s.zero)) return s.unset ?? 'none'
  return Array.isArray(v) ? v.join(', ') : plainNumber(v)
}

/** Machines compute in binary; nobody set 45.00000000000001. */
export const plainNumber = (v: unknown) => (typeof v === 'number' ? String(Number(v.toPrecision(6))) : String(v ?? ''))

/**
 * A number as people write it: with a point or a comma before the decimals; undefined
 * where it is none, or could be read two ways ("1,350" is one and a third to some, more
 * than a thousand to others).
 */
export function readNumber(text: string): number | undefined {
  const t = text.trim().replace(/^−/, '-')
  if (!/^[-+]?(\d+([.,]\d*)?|[.,]\d+)$/.test(t)) return undefined
  if (/^[-+]?[1-9]\d{0,2},\d{3}$/.test(t)) return undefined
  return Number(t.replace(',', '.'))
}

/** The fields in whose label or name every word is found. */
export function fieldsWith(fields: readonly Field[], words: string): Field[] {
  const all = words.toLowerCase().split(/\s+/).filter(Boolean)
  return fields.filter((x) => all.every((w) => `${x.label} ${x.does ?? ''} ${x.path.replaceAll('_', ' ')} ${x.unit ?? ''}`.toLowerCase().includes(w)))
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
