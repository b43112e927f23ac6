import { Quaternion, Vector3 } from 'three'
import type { Stand } from '../components/partScene'

/** (w, x, y, z), as the server has it. */
export type Turn = [number, number, number, number]

const read = (t: readonly number[]) =>
  t.some((v) => v !== 0) ? new Quaternion(t[1], t[2], t[3], t[0]).normalize() : new Quaternion()
const tell = (q: Quaternion): Turn => [q.w, q.x, q.y, q.z]
const axes = { x: new Vector3(1, 0, 0), y: new Vector3(0, 1, 0), z: new Vector3(0, 0, 1) }

/** A piece that stands so, turned further about an axis of the plate, by degrees. */
export function turned(from: readonly number[], axis: keyof typeof axes, degrees: number): Turn {
  return tell(read(from).premultiply(new Quaternion().setFromAxisAngle(axes[axis], (degrees * Math.PI) / 180)))
}

/** The turn after which a piece rests on a face, whose way out is given in the model's coordinates. */
export function restingOn(out: readonly [number, number, number], stand: Stand): Turn {
  const s = stand.scale.map((v) => v || 1)
  const n = new Vector3(out[0] / (stand.mirror ? -s[0]! : s[0]!), out[1] / s[1]!, out[2] / s[2]!).normalize()
  return tell(new Quaternion().setFromUnitVectors(n, new Vector3(0, 0, -1)))
}
