// Reads a binary STL with manifold-3d, builds its structure and cuts 384 slices;
// prints milliseconds as JSON. The peer of the benchmarks beside it.
import { readFileSync } from 'node:fs'
import load from '../web/node_modules/manifold-3d/manifold.js'

const wasm = await load()
wasm.setup()

const clock = () => performance.now()
const t0 = clock()
const file = readFileSync(process.argv[2])
const n = file.readUInt32LE(80)
const vertProperties = new Float32Array(9 * n)
const view = new DataView(file.buffer, file.byteOffset)
for (let t = 0, o = 84 + 12, k = 0; t < n; t++, o += 50) {
  for (let i = 0; i < 36; i += 4) vertProperties[k++] = view.getFloat32(o + i, true)
}
const triVerts = Uint32Array.from({ length: 3 * n }, (_, i) => i)
const mesh = new wasm.Mesh({ numProp: 3, vertProperties, triVerts })
mesh.merge()
const t1 = clock()
const solid = new wasm.Manifold(mesh)
if (solid.status() !== 'NoError' || solid.numTri() === 0) throw new Error(`manifold: ${solid.status()}`)
const t2 = clock()
const box = solid.boundingBox()
let area = 0
for (let i = 0; i < 384; i++) {
  const s = solid.slice(box.min[2] + ((i + 0.5) * (box.max[2] - box.min[2])) / 384)
  area += s.area()
  s.delete()
}
const t3 = clock()
console.log(JSON.stringify({ load: t1 - t0, build: t2 - t1, slices: t3 - t2, area }))
