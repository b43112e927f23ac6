import type { Stand } from '../components/partScene'
import { turned } from './turns'

/** What a typed line is read against. */
export interface Standing {
  stand: Stand
  /** As it stands, mm. */
  size: readonly number[]
  /** The largest scale, of how large it is now, that fits the machine looked at. */
  fit: number | undefined
  read: (text: string) => number | undefined
}

export type Said =
  | { stand: Stand; why: string }
  | { best: true }
  | { nozzle: number }
  | { load: [number, number, number] | null }
  | { wrong: string }

const axes = ['x', 'y', 'z'] as const
type Axis = (typeof axes)[number]
const inch = 25.4

/** What the line understands, for the list of keys and the words under the field. */
export const grammar: readonly [string, string][] = [
  ['x 90', 'turns it about x by degrees; y, z alike'],
  ['80 %', 'makes it so large, of as it came'],
  ['z 45 mm, x 2 in', 'as large as that, all axes together'],
  ['only z 45 mm', 'that axis alone'],
  ['fit', 'the largest that fits this machine'],
  ['as it came · mirror · best', 'back to the file · the other hand · as it prints best'],
  ['pull z · no pull', 'along which way it is pulled in use, as it stands · no matter'],
  ['nozzle 2', 'that nozzle lays it; nozzle 0, the recipe’s'],
  ['… because …', 'says why: another size needs it'],
]

/** The way in the model, before it is sized and mirrored, that lies along an axis of the plate as it is turned. */
function turnedWay(stand: Stand, axis: Axis): [number, number, number] {
  const [w, x, y, z] = stand.turn.some((v) => v !== 0) ? (stand.turn as [number, number, number, number]) : [1, 0, 0, 0]
  const rows: [number, number, number][] = [
    [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
    [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
    [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
  ]
  return rows[axes.indexOf(axis)]!
}

/** Which way in the model runs along an axis of the plate, as it stands. */
function ownWay(stand: Stand, axis: Axis): [number, number, number] {
  const [x, y, z] = turnedWay(stand, axis).map((v, k) => v / (stand.scale[k] || 1)) as [number, number, number]
  return [stand.mirror ? -x : x, y, z]
}

/** Which of the model's own axes stands along an axis of the plate, where it is turned by right angles. */
function ownAxis(stand: Stand, axis: Axis): number | undefined {
  const at = turnedWay(stand, axis).findIndex((v) => Math.abs(Math.abs(v) - 1) < 1e-6)
  return at < 0 ? undefined : at
}

/** Reads a typed line: what a piece is to be turned to, or how large. */
export function readStanding(line: string, now: Standing): Said {
  const [what = '', why = ''] = line.split(/\bbecause\b/i).map((s) => s.trim())
  const text = what.toLowerCase()
  const full = (s: Stand): Stand => ({ turn: s.turn, scale: s.scale.map((v) => v || 1), mirror: !!s.mirror })
  const stand = full(now.stand)
  const sized = (factor: (k: number) => number): Said => ({
    stand: { ...stand, scale: stand.scale.map((v, k) => v * factor(k)) },
    why,
  })
  if (text === 'best') return { best: true }
  if (text === 'as it came') return { stand: { turn: [1, 0, 0, 0], scale: [1, 1, 1], mirror: false }, why }
  if (text === 'mirror') return { stand: { ...stand, mirror: !stand.mirror }, why }
  if (text === 'no pull') return { load: null }
  const pull = /^pull ([xyz])$/.exec(text)
  if (pull) return { load: ownWay(stand, pull[1] as Axis) }
  const nozzle = /^nozzle ([0-2])$/.exec(text)
  if (nozzle) return { nozzle: Number(nozzle[1]) }
  if (text === 'fit') {
    const k = now.fit
    if (k === undefined) return { wrong: 'It is not known what fits this machine.' }
    return sized(() => Math.floor(k * 1e4) / 1e4)
  }
  const m = /^(only\s+)?([xyz])?\s*([^\s%°a-z]+)\s*(%|mm|cm|in|°)?$/.exec(text)
  const value = m?.[3] === undefined ? undefined : now.read(m[3])
  if (!m || value === undefined)
    return { wrong: 'That is none of x 90, 80 %, z 45 mm, only z 45 mm, fit, mirror, as it came, best.' }
  const axis = m[2] as Axis | undefined
  const unit = m[4]
  if (axis && (!unit || unit === '°')) {
    if (m[1]) return { wrong: 'Only goes with a size, as in only z 45 mm.' }
    return { stand: { ...stand, turn: turned(stand.turn, axis, value) }, why }
  }
  if (!(value > 0)) return { wrong: 'A size is more than nothing.' }
  const own = m[1] && axis ? ownAxis(stand, axis) : undefined
  if (m[1] && axis && own === undefined)
    return { wrong: 'It leans: one axis alone can be sized where it stands square.' }
  if (unit === '%') {
    const to = value / 100
    if (m[1] && !axis) return { wrong: 'Only which axis? As in only z 80 %.' }
    return { stand: { ...stand, scale: stand.scale.map((v, k) => (own === undefined || own === k ? to : v)) }, why }
  }
  if (!axis || !unit) return { wrong: 'Which axis, and in what? As in z 45 mm or 80 %.' }
  const was = now.size[axes.indexOf(axis)] ?? 0
  if (!(was > 0)) return { wrong: 'It has no size along that axis.' }
  const factor = (value * (unit === 'in' ? inch : unit === 'cm' ? 10 : 1)) / was
  return sized((k) => (own === undefined || own === k ? factor : 1))
}
