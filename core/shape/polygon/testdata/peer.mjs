// Areas by clipper2-wasm: reads a list of cases as JSON from standard input,
// prints one area (µm²) for each.
import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'

const require = createRequire(import.meta.url)
const wasm = await require('../../../../web/node_modules/clipper2-wasm/dist/umd/clipper2z.js')()
const rules = { nonzero: wasm.FillRule.NonZero, evenodd: wasm.FillRule.EvenOdd, positive: wasm.FillRule.Positive }
const ops = { union: wasm.ClipType.Union, intersection: wasm.ClipType.Intersection, difference: wasm.ClipType.Difference, xor: wasm.ClipType.Xor }
const joins = { round: wasm.JoinType.Round, mitre: wasm.JoinType.Miter, square: wasm.JoinType.Square }

export function paths(list) {
  const out = new wasm.Paths64()
  for (const flat of list) {
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
}

const cases = JSON.parse(readFileSync(0, 'utf8'))
const areas = []
for (const c of cases) {
  const subject = paths(c.subject)
  let result
  if (c.op === 'offset') {
    result = wasm.InflatePaths64(subject, c.delta, joins[c.join], wasm.EndType.Polygon, c.mitre, c.arc)
  } else {
    const clip = paths(c.clip ?? [])
    result = wasm.BooleanOp64(ops[c.op], rules[c.rule], subject, clip)
    clip.delete()
  }
  areas.push(wasm.AreaPaths64(result))
  subject.delete()
  result.delete()
}
console.log(JSON.stringify(areas))
