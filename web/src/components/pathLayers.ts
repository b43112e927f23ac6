/** One line of a layer: its kind, width in mm, and points x, y, x, y … in mm on the plate. */
export interface PathLine {
  kind: number
  width: number
  points: Float32Array
}

export interface PathLayer {
  top: number
  height: number
  lines: PathLine[]
}

/** Reads the layers of docs/view-format.md; points are views into the bytes. */
export function readLayers(bytes: ArrayBuffer): PathLayer[] {
  const u = new Uint32Array(bytes)
  const f = new Float32Array(bytes)
  const out: PathLayer[] = []
  let at = 1
  for (let i = 0; i < u[0]!; i++) {
    const layer: PathLayer = { top: f[at]!, height: f[at + 1]!, lines: [] }
    const lines = u[at + 2]!
    at += 3
    for (let k = 0; k < lines; k++) {
      const n = u[at]! >> 8
      layer.lines.push({ kind: u[at]! & 255, width: f[at + 1]!, points: f.subarray(at + 2, at + 2 + 2 * n) })
      at += 2 + 2 * n
    }
    out.push(layer)
  }
  return out
}
