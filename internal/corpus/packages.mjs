// Shapes that come with geometry packages of the npm registry, as JSON on standard
// output: name, size (the longest side, mm), corners and triangles; z is up.
import { createRequire } from 'node:module'
import { fileURLToPath, pathToFileURL } from 'node:url'
import path from 'node:path'

const web = path.join(path.dirname(fileURLToPath(import.meta.url)), '../../web/')
const at = createRequire(web)
const from = (name) => import(pathToFileURL(path.join(web, 'node_modules', name)))
const THREE = await from('three/build/three.module.js')
const Curves = await from('three/examples/jsm/curves/CurveExtras.js')
const { RoundedBoxGeometry } = await from('three/examples/jsm/geometries/RoundedBoxGeometry.js')
const { ConvexGeometry } = await from('three/examples/jsm/geometries/ConvexGeometry.js')
const { default: Module } = await from('manifold-3d/manifold.js')

const out = []
function put(name, mm, geometry, turnX = 0, turnY = 0) {
  geometry.rotateX((turnX * Math.PI) / 180).rotateY((turnY * Math.PI) / 180)
  const p = geometry.attributes.position
  const index = geometry.index ? [...geometry.index.array] : [...Array(p.count).keys()]
  out.push({ name, mm, at: [...p.array], of: index })
}

// Regular and round bodies, as they come and turned.
put('knot-2-3', 52, new THREE.TorusKnotGeometry(10, 3, 180, 20, 2, 3))
put('knot-3-4', 46, new THREE.TorusKnotGeometry(10, 2.4, 220, 18, 3, 4), 90)
put('knot-2-5', 60, new THREE.TorusKnotGeometry(10, 2, 220, 18, 2, 5), 40)
put('ring-on-edge', 48, new THREE.TorusGeometry(10, 3, 24, 90), 90)
put('ring-leaning', 40, new THREE.TorusGeometry(10, 4, 24, 90), 35)
put('twenty-faces', 36, new THREE.IcosahedronGeometry(10, 0), 10)
put('twelve-faces', 40, new THREE.DodecahedronGeometry(10, 0), 0, 12)
put('eight-faces', 44, new THREE.OctahedronGeometry(10, 0), 90)
put('four-faces', 38, new THREE.TetrahedronGeometry(10, 0))
put('cone-on-tip', 34, new THREE.ConeGeometry(9, 16, 48), -90)
put('capsule-up', 50, new THREE.CapsuleGeometry(6, 16, 12, 32), 90)
put('capsule-lying', 56, new THREE.CapsuleGeometry(6, 20, 12, 32), 0)
put('soft-block-leaning', 42, new RoundedBoxGeometry(20, 14, 10, 4, 2), 30, 20)
put('ball', 32, new THREE.IcosahedronGeometry(10, 6))

// Tubes along closed curves.
for (const [name, curve, mm, thick, turn] of [
  ['granny', new Curves.GrannyKnot(), 60, 4.5, 0], ['heart', new Curves.HeartCurve(5), 54, 8, 90], ['window', new Curves.VivianiCurve(60), 50, 8, 0],
  ['tangle', new Curves.KnotCurve(), 58, 2.6, 0], ['trefoil', new Curves.TrefoilKnot(), 48, 4, 20], ['round-knot', new Curves.TorusKnot(20), 44, 3.4, 0],
  ['five-leaves', new Curves.CinquefoilKnot(20), 52, 3, 90], ['braid-4a', new Curves.DecoratedTorusKnot4a(40), 60, 4, 0], ['braid-4b', new Curves.DecoratedTorusKnot4b(40), 46, 4, 0],
  ['braid-5a', new Curves.DecoratedTorusKnot5a(40), 62, 3.6, 0],
]) {
  const longest = curve.getPoints(400).reduce((b, p) => b.expandByPoint(p), new THREE.Box3()).getSize(new THREE.Vector3())
  put(`tube-${name}`, mm, new THREE.TubeGeometry(curve, 240, (thick / 60) * Math.max(longest.x, longest.y, longest.z), 16, true), turn)
}

// Turned and pressed things.
const v = (...xs) => xs.map(([x, y]) => new THREE.Vector2(x, y))
put('goblet', 56, new THREE.LatheGeometry(v([0, 0], [12, 0], [12, 2], [3, 4], [2.5, 20], [13, 26], [15, 42], [13, 42], [11, 28], [0, 23]), 60), 90)
put('bell', 42, new THREE.LatheGeometry(v([0, 30], [3, 30], [4, 27], [10, 22], [12, 8], [17, 0], [15, 0], [10, 8], [8, 20], [0, 25]).reverse(), 60), 90)
put('toadstool', 44, new THREE.LatheGeometry(v([0, 0], [6, 0], [4, 12], [16, 14], [14, 20], [8, 24], [0, 25]), 60), 90)
const star = new THREE.Shape(Array.from({ length: 14 }, (_, i) => new THREE.Vector2(Math.cos((i * Math.PI) / 7) * (i % 2 ? 9 : 20), Math.sin((i * Math.PI) / 7) * (i % 2 ? 9 : 20))))
star.holes.push(new THREE.Path().absarc(0, 0, 4, 0, 2 * Math.PI, true))
put('star', 50, new THREE.ExtrudeGeometry(star, { depth: 10, bevelEnabled: false }))
put('star-on-edge', 46, new THREE.ExtrudeGeometry(star, { depth: 8, bevelEnabled: false, curveSegments: 24 }), 90)
let seed = 7
const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647
put('pebble-hull', 48, new ConvexGeometry(Array.from({ length: 60 }, () => new THREE.Vector3(random() * 20, random() * 14, random() * 11))))

// Cut and joined bodies.
const wasm = await Module()
wasm.setup()
const { Manifold, CrossSection } = wasm
function cut(name, mm, body) {
  const m = body.getMesh()
  const flat = []
  for (let i = 0; i < m.vertProperties.length; i += m.numProp) flat.push(m.vertProperties[i], m.vertProperties[i + 1], m.vertProperties[i + 2])
  out.push({ name, mm, at: flat, of: [...m.triVerts] })
}
const cube = (x, y, z) => Manifold.cube([x, y, z], true)
cut('holed-block', 40, cube(20, 20, 20).subtract(Manifold.sphere(12.5, 60)))
cut('cross-pipes', 50, Manifold.cylinder(30, 5, 5, 48, true).add(Manifold.cylinder(30, 5, 5, 48, true).rotate([90, 0, 0])).add(Manifold.cylinder(30, 5, 5, 48, true).rotate([0, 90, 0])).rotate([20, 30, 0]))
cut('twisted-post', 64, Manifold.extrude(CrossSection.square([12, 12], true), 40, 60, 200))
cut('wave-block', 36, Manifold.levelSet((p) => Math.cos(p[0]) * Math.sin(p[1]) + Math.cos(p[1]) * Math.sin(p[2]) + Math.cos(p[2]) * Math.sin(p[0]), { min: [-6, -6, -6], max: [6, 6, 6] }, 0.4, -0.35))
cut('frame', 52, cube(30, 20, 24).subtract(cube(24, 14, 30)).subtract(cube(40, 14, 18)).subtract(cube(24, 30, 18)))
cut('step-stool', 60, cube(30, 18, 3).translate([0, 0, 14]).add(cube(3, 18, 28).translate([-12, 0, 0])).add(cube(3, 18, 28).translate([12, 0, 0])).add(cube(24, 14, 3).translate([0, 0, -4])))

// Scans: as they came, on their back, and with the noise of a scanner held in a hand.
const { positions, cells } = at('bunny')
const up = ([x, y, z]) => [x, -z, y]
const rough = (p) => p.map((c) => c + 0.04 * (random() - 0.5))
out.push({ name: 'rabbit', mm: 62, at: positions.map(up).flat(), of: cells.flat() })
out.push({ name: 'rabbit-on-its-back', mm: 54, at: positions.flat(), of: cells.flat() })
out.push({ name: 'rabbit-rough', mm: 70, at: positions.map((p) => rough(up(p))).flat(), of: cells.flat() })
for (const o of out) o.at = o.at.map((x) => Math.round(x * 1e5) / 1e5)
process.stdout.write(JSON.stringify(out))
