/** One thing a steward can set. path goes into the entry's data. */
export interface Field {
  path: string
  label: string
  unit?: string
  kind?: 'number' | 'text' | 'bool' | 'colour' | 'money' | 'choice' | 'numbers'
  choices?: readonly string[]
  /** Shows the field only where it makes sense. */
  only?: (data: Record<string, unknown>) => boolean
}

const extrusion = (d: Record<string, unknown>) => d.process === 'material extrusion'

export const machineFields: Field[] = [
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
  { path: 'warm_up.nozzle_c_per_s', label: 'Nozzle warms', unit: '°C/s', only: extrusion },
  { path: 'warm_up.bed_c_per_s', label: 'Bed warms', unit: '°C/s', only: extrusion },
  { path: 'warm_up.homing_s', label: 'Homing', unit: 's', only: extrusion },
  { path: 'material', label: 'Loaded material', kind: 'text' },
  { path: 'colour_name', label: 'Loaded colour', kind: 'text' },
  { path: 'colour', label: 'Shown as', kind: 'colour' },
  { path: 'rate_cents_per_hour', label: 'Price of an hour', kind: 'money' },
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

export const recipeFields: Field[] = [
  { path: 'name', label: 'Name', kind: 'text' },
  { path: 'layer_mm', label: 'Layer height', unit: 'mm' },
  { path: 'first_layer_mm', label: 'First layer', unit: 'mm' },
  { path: 'line_mm', label: 'Line width', unit: 'mm' },
  { path: 'shells', label: 'Shells' },
  { path: 'top_layers', label: 'Solid layers on top' },
  { path: 'bottom_layers', label: 'Solid layers below' },
  { path: 'infill_percent', label: 'Infill', unit: '%' },
  { path: 'hold', label: 'First-layer hold', kind: 'choice', choices: ['none', 'skirt', 'brim', 'raft'] },
  { path: 'brim_mm', label: 'Brim width', unit: 'mm' },
  { path: 'nozzle_c', label: 'Nozzle', unit: '°C' },
  { path: 'bed_c', label: 'Bed', unit: '°C' },
  { path: 'outer_mm_per_s', label: 'Outer shell', unit: 'mm/s' },
  { path: 'inner_mm_per_s', label: 'Inner shells', unit: 'mm/s' },
  { path: 'cap_mm_per_s', label: 'Caps', unit: 'mm/s' },
  { path: 'infill_mm_per_s', label: 'Infill speed', unit: 'mm/s' },
  { path: 'first_mm_per_s', label: 'First layer speed', unit: 'mm/s' },
  { path: 'travel_mm_per_s', label: 'Travel', unit: 'mm/s' },
  { path: 'retract_mm', label: 'Retraction', unit: 'mm' },
  { path: 'retract_mm_per_s', label: 'Retraction speed', unit: 'mm/s' },
  { path: 'least_layer_s', label: 'A layer takes at least', unit: 's' },
]

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
