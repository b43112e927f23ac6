// The peer of the polygon benchmarks: reads layers (JSON: a list of layers, each
// a list of flat paths) and prints milliseconds for each kind of work by
// clipper2-wasm, over all layers; loading the paths into the library is left out.
import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'

const require = createRequire(import.meta.url)
const wasm = await require('../web/node_modules/clipper2-wasm/dist/umd/clipper2z.js')()
const layers = JSON.parse(readFileSync(process.argv[2], 'utf8')).map((layer) => {
  const out = new wasm.Paths64()
  for (const flat of layer) {
    const p = new wasm.Path64()
    const c = new BigInt64Array((flat.length / 2) * 3)
    for (let i = 0; i < flat.length / 2; i++) {
      c[3 * i] = BigInt(flat[2 * i])
      c[3 * i + 1] = BigInt(flat[2 * i + 1])
    }
    p.assign(c)
    out.push_back(p)
    p.delete()
  }
  return out
})
const times = {}
function time(name, work) {
  const t = performance.now()
  work()
  times[name] = performance.now() - t
}
time('union', () => layers.forEach((l) => wasm.UnionSelf64(l, wasm.FillRule.NonZero).delete()))
time('difference', () => layers.slice(1).forEach((l, i) => wasm.Difference64(layers[i], l, wasm.FillRule.NonZero).delete()))
for (const [name, join] of [['mitre', wasm.JoinType.Miter], ['round', wasm.JoinType.Round]]) {
  time(name, () =>
    layers.forEach((l) => {
      let at = l
      for (let k = 0; k < 3; k++) {
        const next = wasm.InflatePaths64(at, -450, join, wasm.EndType.Polygon, 2, 2)
        if (at !== l) at.delete()
        at = next
      }
      at.delete()
    }),
  )
}
console.log(JSON.stringify(times))
