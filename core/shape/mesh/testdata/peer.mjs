// Volume and area of binary STL files by manifold-3d, one JSON line each.
import { readFileSync } from 'node:fs'
import load from '../../../../web/node_modules/manifold-3d/manifold.js'

const wasm = await load()
wasm.setup()
for (const name of process.argv.slice(2)) {
  const file = readFileSync(name)
  const n = file.readUInt32LE(80)
  const vertProperties = new Float32Array(9 * n)
  for (let t = 0, o = 96, k = 0; t < n; t++, o += 50) for (let i = 0; i < 36; i += 4) vertProperties[k++] = file.readFloatLE(o + i)
  const mesh = new wasm.Mesh({ numProp: 3, vertProperties, triVerts: Uint32Array.from({ length: 3 * n }, (_, i) => i) })
  mesh.merge()
  const solid = new wasm.Manifold(mesh)
  console.log(JSON.stringify({ status: solid.status(), volume: solid.volume(), area: solid.surfaceArea(), genus: solid.genus() }))
  solid.delete()
}
