import type { PathLayer } from './pathLayers'
import {
  AmbientLight,
  ArrowHelper,
  BufferAttribute,
  BufferGeometry,
  CanvasTexture,
  Color,
  DirectionalLight,
  DoubleSide,
  EdgesGeometry,
  EllipseCurve,
  Group,
  LineBasicMaterial,
  LineLoop,
  LineSegments,
  Matrix3,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  MeshLambertMaterial,
  PerspectiveCamera,
  Plane,
  Quaternion,
  Raycaster,
  Scene,
  Sprite,
  SpriteMaterial,
  SRGBColorSpace,
  Vector2,
  Vector3,
  WebGLRenderer,
} from 'three'
import { LineMaterial } from 'three/examples/jsm/lines/LineMaterial.js'
import { LineSegments2 } from 'three/examples/jsm/lines/LineSegments2.js'
import { LineSegmentsGeometry } from 'three/examples/jsm/lines/LineSegmentsGeometry.js'
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js'
import { kindColours } from './lineKinds'

export interface Volume {
  shape: 'rectangle' | 'round'
  mm: readonly number[]
}

export interface Looks {
  part: string
  ink: string
  paper: string
  rule: string
  stop: string
  attention: string
  /** How a distance is told. */
  number: (mm: number) => string
}

/** Lines, faces and distances on the surface, mm, in the part's own coordinates. */
export interface Marks {
  check?: string
  lines?: readonly (readonly number[])[]
  faces?: readonly (readonly number[])[]
  /** From place to place: told with how long they are as the part stands. */
  spans?: readonly (readonly number[])[]
}

/** Where the camera is and what it looks at. */
export interface CameraView {
  from: readonly number[]
  at: readonly number[]
}

/** Reads docs/view-format.md: counts, positions in mm, triangles. */
export function readView(bytes: ArrayBuffer): BufferGeometry {
  const [vertices = 0, triangles = 0] = new Uint32Array(bytes, 0, 2)
  const g = new BufferGeometry()
  g.setAttribute('position', new BufferAttribute(new Float32Array(bytes, 8, vertices * 3), 3))
  g.setIndex(new BufferAttribute(new Uint32Array(bytes, 8 + 12 * vertices, triangles * 3), 1))
  return g
}

export { readLayers, type PathLayer, type PathLine } from './pathLayers'

const labelPixels = 24

// Edges sharper than this are inked; finer ones belong to round surfaces.
const inkDegrees = 32
const inkTriangles = 40_000

/**
 * The part on its plate. Draws only when something has changed: there is no loop.
 * What stands outside the volume is drawn in the stop colour, striped.
 */
/** How a piece stands otherwise than as it came. */
export interface Stand {
  turn: readonly number[]
  scale: readonly number[]
  mirror?: boolean
}

/** From the model's coordinates to where it stands, before it is set down. */
export function standMatrix(s: Stand | undefined): Matrix4 {
  const out = new Matrix4()
  if (!s) return out
  const [w, x, y, z] = s.turn
  const [sx, sy, sz] = s.scale.map((v) => v || 1)
  if (s.turn.some((v) => v !== 0)) out.makeRotationFromQuaternion(new Quaternion(x, y, z, w))
  return out.scale(new Vector3(s.mirror ? -sx! : sx, sy, sz))
}

export class PartScene {
  private readonly renderer: WebGLRenderer
  private readonly scene = new Scene()
  private readonly camera = new PerspectiveCamera(32, 1, 1, 20_000)
  private readonly controls: OrbitControls
  private readonly room = new Group()
  private readonly part = new Group()
  private readonly marks = new Group()
  private readonly load = new Group()
  private readonly paths = new Group()
  /** The layer that is drawn now, and how many of its lines are shown of the first n. */
  private drawn?: { layer: PathLayer; shown: ReadonlySet<number>; x: number; y: number; mesh: Mesh; until: Uint32Array }
  private readonly cut = new Plane(new Vector3(0, 0, -1), 1e6)
  /** From the part's own coordinates to where it stands. */
  private placed = new Matrix4()
  private flight = 0
  private tall = 600
  private readonly half = { value: new Vector3() }
  private readonly round = { value: 0 }
  private size = new Vector3(1, 1, 1)
  private pending = 0

  /** Told when somebody moves the view. */
  onView?: (v: CameraView) => void

  constructor(
    canvas: HTMLCanvasElement,
    private looks: Looks,
  ) {
    this.renderer = new WebGLRenderer({ canvas, antialias: false, alpha: true })
    this.renderer.localClippingEnabled = true
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2))
    this.controls = new OrbitControls(this.camera, canvas)
    this.controls.addEventListener('change', () => {
      this.draw()
      this.onView?.({ from: this.camera.position.toArray(), at: this.controls.target.toArray() })
    })
    const sun = new DirectionalLight(0xffffff, 2.1)
    sun.position.set(0.4, -0.7, 1)
    this.scene.add(new AmbientLight(0xffffff, 1.5), sun, this.room, this.part, this.marks, this.paths, this.load)
    this.camera.up.set(0, 0, 1)
  }

  setLooks(looks: Looks) {
    this.looks = looks
  }

  resize(width: number, height: number) {
    this.tall = height
    this.renderer.setSize(width, height, false)
    this.camera.aspect = Math.max(1, width) / Math.max(1, height)
    this.camera.updateProjectionMatrix()
    this.draw()
  }

  /** Stands a part in the middle of the plate: mirrored, scaled and turned as it stands, then about the vertical. */
  setPart(g: BufferGeometry, turnDeg: number, stand?: Stand) {
    empty(this.part)
    const stood = standMatrix(stand)
    g.applyMatrix4(stood)
    g.computeBoundingBox()
    const box = g.boundingBox!
    const mid = box.getCenter(new Vector3())
    this.placed = new Matrix4()
      .makeRotationZ((turnDeg * Math.PI) / 180)
      .multiply(new Matrix4().makeTranslation(-mid.x, -mid.y, -box.min.z))
    g.applyMatrix4(this.placed)
    this.placed.multiply(stood)
    g.computeBoundingBox()
    const turned = g.boundingBox!.getCenter(new Vector3())
    const centre = new Matrix4().makeTranslation(-turned.x, -turned.y, 0)
    g.applyMatrix4(centre)
    this.placed.premultiply(centre)
    g.computeBoundingBox()
    g.boundingBox!.getSize(this.size)
    this.part.add(new Mesh(g, this.matter()))
    if (g.index!.count / 3 <= inkTriangles) {
      this.part.add(
        new LineSegments(
          new EdgesGeometry(g, inkDegrees),
          new LineBasicMaterial({ color: this.looks.ink, clippingPlanes: [this.cut] }),
        ),
      )
    }
    this.draw()
  }

  /**
   * Draws the evidence of a finding: faces, edges (faint where they are hidden) and a pin. aside is
   * how far from the plate's middle the copy lies that it is shown on.
   */
  setEvidence(m: Marks | undefined, pin: readonly number[] | undefined, aside = { x: 0, y: 0 }) {
    empty(this.marks)
    this.marks.matrixAutoUpdate = false
    this.marks.matrix.copy(this.placed).premultiply(new Matrix4().makeTranslation(aside.x, aside.y, 0))
    if (m?.faces?.length) {
      const g = new BufferGeometry()
      g.setAttribute('position', new BufferAttribute(new Float32Array(m.faces.flat()), 3))
      this.marks.add(new Mesh(g, hatched(m.check === 'overhangs' ? supportInk : this.looks.attention)))
    }
    const lines = [...(m?.lines ?? []), ...(m?.spans ?? []).flatMap((s) => this.dimension(s))]
    if (lines.length) {
      for (const hidden of [true, false]) {
        const g = new LineSegmentsGeometry().setPositions(lines.flat())
        const l = new LineSegments2(
          g,
          new LineMaterial({
            color: this.looks.attention,
            linewidth: 4,
            transparent: true,
            opacity: hidden ? 0.3 : 1,
            depthTest: !hidden,
            polygonOffset: true,
            polygonOffsetFactor: -2,
            polygonOffsetUnits: -2,
          }),
        )
        l.renderOrder = hidden ? 3 : 4
        this.marks.add(l)
      }
    }
    for (const s of m?.spans ?? []) {
      const [a, b] = ends(s)
      const mm = a.clone().applyMatrix4(this.placed).distanceTo(b.clone().applyMatrix4(this.placed))
      this.label(`${this.looks.number(mm)} mm`, a.add(b).multiplyScalar(0.5), this.looks.ink, this.marks, [0.5, -0.25])
    }
    if (pin && !m?.spans?.length) {
      const s = this.pin()
      s.position.set(pin[0]!, pin[1]!, pin[2]!)
      this.marks.add(s)
    }
    this.draw()
  }

  /** Shows by two arrows along which way the part is pulled; the way is in the model's coordinates. */
  setLoad(way: readonly number[] | undefined) {
    empty(this.load)
    if (way) {
      const out = new Vector3(way[0], way[1], way[2]).transformDirection(this.placed)
      const reach = Math.max(this.size.x, this.size.y, this.size.z) * 0.5
      for (const side of [1, -1]) {
        const from = new Vector3(0, 0, this.size.z / 2)
        const a = new ArrowHelper(
          out.clone().multiplyScalar(side),
          from,
          reach * 1.6,
          this.looks.stop,
          reach * 0.3,
          reach * 0.16,
        )
        for (const m of [a.line.material, a.cone.material]) Object.assign(m, { depthTest: false })
        a.renderOrder = 5
        this.load.add(a)
      }
    }
    this.draw()
  }

  /** A distance as it is drawn: from end to end, with a stroke across each, as long as a hair to be seen. */
  private dimension(s: readonly number[]): number[][] {
    const [a, b] = ends(s)
    const way = b.clone().sub(a)
    const tick = new Vector3(0, 0, 1).cross(way)
    if (tick.lengthSq() < 1e-6 * way.lengthSq()) tick.set(1, 0, 0)
    tick.normalize().multiplyScalar(Math.max(this.size.x, this.size.y, this.size.z) * 0.02)
    return [[a, b] as const, ...[a, b].map((p) => [p.clone().sub(tick), p.clone().add(tick)] as const)].map(
      ([p, q]) => [p.x, p.y, p.z, q.x, q.y, q.z],
    )
  }

  private pin() {
    const c = document.createElement('canvas')
    c.width = 64
    c.height = 96
    const g = c.getContext('2d')!
    g.fillStyle = this.looks.attention
    g.strokeStyle = this.looks.ink
    g.lineWidth = 5
    g.beginPath()
    g.moveTo(32, 93)
    g.lineTo(12, 44)
    g.arc(32, 32, 24, Math.PI * 0.83, Math.PI * 0.17)
    g.closePath()
    g.fill()
    g.stroke()
    const s = new Sprite(new SpriteMaterial({ map: inked(c), depthTest: false, sizeAttenuation: false }))
    s.center.set(0.5, 0)
    s.scale.set(0.04, 0.06, 1)
    s.renderOrder = 10
    return s
  }

  /**
   * Draws the lines of one layer as wide as they are, up to a share of its way;
   * below it the part is shown as a body. Without a layer the part is whole.
   */
  setLayer(
    layer: PathLayer | undefined,
    plate: { x: number; y: number },
    shown: ReadonlySet<number>,
    upTo: number,
    body: boolean,
  ) {
    this.part.visible = !layer || body
    this.cut.constant = layer ? layer.top - layer.height / 2 : 1e6
    if (!layer) {
      empty(this.paths)
      this.drawn = undefined
    } else {
      const d = this.drawn
      if (d?.layer !== layer || d.shown !== shown || d.x !== plate.x || d.y !== plate.y) this.build(layer, plate, shown)
      const { mesh, until } = this.drawn!
      mesh.geometry.setDrawRange(0, 6 * until[Math.ceil((until.length - 1) * upTo)]!)
    }
    this.draw()
  }

  /** Makes the lines of a layer, once: playing along them only draws more or fewer. */
  private build(layer: PathLayer, plate: { x: number; y: number }, shown: ReadonlySet<number>) {
    empty(this.paths)
    let total = 0
    for (const l of layer.lines) total += l.points.length / 2 - 1
    const position = new Float32Array(18 * total)
    const colour = new Uint8Array(18 * total)
    const until = new Uint32Array(total + 1) // how many are shown of the first n
    const z = layer.top + 0.02
    const c = new Color()
    let n = 0
    let at = 0
    for (const l of layer.lines) {
      const seen = shown.has(l.kind)
      c.set(kindColours[l.kind]!)
      const rgb = [c.r, c.g, c.b].map((v) => Math.round(255 * v))
      for (let i = 2; i < l.points.length; i += 2) {
        until[++n] = at + (seen ? 1 : 0)
        if (!seen) continue
        const ax = l.points[i - 2]! - plate.x
        const ay = l.points[i - 1]! - plate.y
        const bx = l.points[i]! - plate.x
        const by = l.points[i + 1]! - plate.y
        const d = Math.hypot(bx - ax, by - ay) || 1
        // Nearly as wide as it is: neighbours show a seam.
        const nx = ((ay - by) / d) * l.width * 0.46
        const ny = ((bx - ax) / d) * l.width * 0.46
        const corners = [
          ax + nx,
          ay + ny,
          ax - nx,
          ay - ny,
          bx - nx,
          by - ny,
          ax + nx,
          ay + ny,
          bx - nx,
          by - ny,
          bx + nx,
          by + ny,
        ]
        for (let k = 0; k < 6; k++) {
          position.set([corners[2 * k]!, corners[2 * k + 1]!, z], 18 * at + 3 * k)
          colour.set(rgb, 18 * at + 3 * k)
        }
        at++
      }
    }
    const g = new BufferGeometry()
    g.setAttribute('position', new BufferAttribute(position.subarray(0, 18 * at), 3))
    g.setAttribute('color', new BufferAttribute(colour.subarray(0, 18 * at), 3, true))
    const mesh = new Mesh(g, new MeshBasicMaterial({ vertexColors: true, side: DoubleSide }))
    this.paths.add(mesh)
    this.drawn = { layer, shown, x: plate.x, y: plate.y, mesh, until }
  }

  /** Looks from where another view looks. */
  setView(v: CameraView) {
    const same =
      this.camera.position.distanceTo(new Vector3(...v.from)) + this.controls.target.distanceTo(new Vector3(...v.at)) <
      1e-6
    if (same) return
    this.camera.position.set(v.from[0]!, v.from[1]!, v.from[2]!)
    this.controls.target.set(v.at[0]!, v.at[1]!, v.at[2]!)
    this.controls.update()
    this.draw()
  }

  /** Looks straight down on the layer, or from the side again. */
  above() {
    const reach = Math.max(this.size.x, this.size.y) * 0.62
    const far = (reach / Math.tan((this.camera.fov * Math.PI) / 360)) * Math.max(1, 1 / this.camera.aspect)
    this.controls.target.set(0, 0, 0)
    this.camera.position.set(0, -0.001 * far, far + this.size.z)
    this.camera.near = far / 50
    this.camera.far = far * 20
    this.camera.updateProjectionMatrix()
    this.controls.update()
    this.draw()
  }

  /** Flies to a place of the part, to look at it from outside, or from where it is seen. */
  fly(place: readonly number[], aside = { x: 0, y: 0 }, from?: SeenFrom) {
    const to = new Vector3(place[0], place[1], place[2]).applyMatrix4(this.placed)
    const out = to.clone().sub(new Vector3(0, 0, this.size.z / 2))
    to.add(new Vector3(aside.x, aside.y, 0))
    if (out.lengthSq() < 1e-9) out.set(0.4, -0.8, 0.5)
    // From above the plate, unless the place is on the part's underside.
    if (to.z > this.size.z * 0.02) out.z = Math.max(out.z, 0.1 * out.length())
    const dir = this.open(
      to,
      (from ? new Vector3(...ways[from]) : out.normalize().add(new Vector3(0.15, -0.45, 0.3))).normalize(),
    )
    const reach = Math.max(this.size.x, this.size.y, this.size.z) * (from ? 1.5 : 0.9)
    const end = to.clone().addScaledVector(dir, reach)
    const start = { at: this.camera.position.clone(), target: this.controls.target.clone() }
    const began = performance.now()
    const span = matchMedia('(prefers-reduced-motion: reduce)').matches ? 1 : 450
    cancelAnimationFrame(this.flight)
    const step = () => {
      const t = Math.min(1, (performance.now() - began) / span)
      const s = t * t * (3 - 2 * t)
      this.camera.position.lerpVectors(start.at, end, s)
      this.controls.target.lerpVectors(start.target, to, s)
      this.camera.near = reach / 100
      this.camera.far = reach * 40
      this.camera.updateProjectionMatrix()
      this.controls.update()
      this.draw()
      if (t < 1) this.flight = requestAnimationFrame(step)
    }
    step()
  }

  /** The first way, beginning with one, along which a place is seen past the part itself: the inside of a bell is seen
   * from straight below. One that is hidden all round is looked at as if it were not. */
  private open(to: Vector3, first: Vector3) {
    const solid = this.part.children.filter((o) => o instanceof Mesh)
    const level = Math.hypot(first.x, first.y)
    const others = [45, 90, 135, 180, 225, 270, 315].map((deg) => {
      const at = Math.atan2(first.y, first.x) + (deg * Math.PI) / 180
      return new Vector3(Math.cos(at) * level, Math.sin(at) * level, first.z)
    })
    const upright = new Vector3(0, -0.05, Math.sign(first.z) || 1).normalize()
    const off = 0.01 * this.size.length() // the face that the place is on is not in the way
    const seen = (dir: Vector3) =>
      new Raycaster(to.clone().addScaledVector(dir, off), dir, 0, 4 * this.size.length()).intersectObjects(solid)
        .length === 0
    return [first, ...others, upright].find(seen) ?? first
  }

  /** The way out of the face under a place of the canvas (−1 … 1), in the model's coordinates. */
  faceAt(x: number, y: number): { out: [number, number, number]; spot: [number, number, number] } | undefined {
    const ray = new Raycaster()
    ray.setFromCamera(new Vector2(x, y), this.camera)
    const hit = ray.intersectObjects(this.part.children.filter((o) => o instanceof Mesh))[0]
    if (!hit?.face) return undefined
    // Ways out of faces go back by the transpose of the way there.
    const n = hit.face.normal.clone().applyMatrix3(new Matrix3().setFromMatrix4(this.placed).transpose()).normalize()
    const at = hit.point.clone().applyMatrix4(this.placed.clone().invert())
    return { out: [n.x, n.y, n.z], spot: [at.x, at.y, at.z] }
  }

  private matter() {
    const m = new MeshLambertMaterial({
      color: this.looks.part,
      side: DoubleSide,
      flatShading: true,
      clippingPlanes: [this.cut],
      polygonOffset: true,
      polygonOffsetFactor: 1,
      polygonOffsetUnits: 1,
    })
    const stop = { value: new Color(this.looks.stop) }
    m.onBeforeCompile = (s) => {
      Object.assign(s.uniforms, { half_: this.half, round_: this.round, stop_: stop })
      s.vertexShader = s.vertexShader.replace('void main() {', 'varying vec3 at_;\nvoid main() {\nat_ = position;')
      s.fragmentShader = s.fragmentShader
        .replace(
          'void main() {',
          'varying vec3 at_; uniform vec3 half_; uniform float round_; uniform vec3 stop_;\nvoid main() {',
        )
        .replace(
          '#include <color_fragment>',
          `#include <color_fragment>
        bool beside_ = abs(at_.x) > half_.x + 0.01 || abs(at_.y) > half_.y + 0.01;
        bool out_ = at_.z > half_.z + 0.01 || (round_ > 0.5 ? length(at_.xy) > half_.x + 0.01 : beside_);
        if (out_) diffuseColor.rgb = mod(gl_FragCoord.x + gl_FragCoord.y, 9.0) < 4.5 ? stop_ : mix(stop_, diffuseColor.rgb, 0.7);`,
        )
    }
    return m
  }

  /** Draws the machine's room: its plate, ruled every 10 mm, and its edges. */
  setVolume(v: Volume, over: readonly string[]) {
    empty(this.room)
    const [x = 1, y = 1, z = 1] = v.mm
    this.half.value.set(x / 2, y / 2, z)
    this.round.value = v.shape === 'round' ? 1 : 0
    const strong = new LineBasicMaterial({ color: this.looks.ink })
    const faint = new LineBasicMaterial({ color: this.looks.rule })
    const lines: number[] = []
    const chord = (at: number, half: number) =>
      v.shape === 'round' ? Math.sqrt(Math.max(0, half * half - at * at)) : half
    for (let i = -Math.floor(x / 20) * 10; i <= x / 2; i += 10)
      lines.push(i, -chord(i, y / 2), 0, i, chord(i, y / 2), 0)
    for (let i = -Math.floor(y / 20) * 10; i <= y / 2; i += 10)
      lines.push(-chord(i, x / 2), i, 0, chord(i, x / 2), i, 0)
    this.room.add(segments(lines, faint))
    const posts: number[] = []
    if (v.shape === 'round') {
      const ring = new EllipseCurve(0, 0, x / 2, x / 2).getPoints(96)
      for (const h of [0, z]) {
        const g = new BufferGeometry().setFromPoints(ring.map((p) => new Vector3(p.x, p.y, h)))
        this.room.add(new LineLoop(g, h ? faint : strong))
      }
      for (let k = 0; k < 4; k++) {
        const [c, s] = [Math.cos((k * Math.PI) / 2 + 0.785), Math.sin((k * Math.PI) / 2 + 0.785)]
        posts.push((c * x) / 2, (s * x) / 2, 0, (c * x) / 2, (s * x) / 2, z)
      }
    } else {
      const c: [number, number][] = [
        [-x / 2, -y / 2],
        [x / 2, -y / 2],
        [x / 2, y / 2],
        [-x / 2, y / 2],
      ]
      const base: number[] = []
      c.forEach(([px, py], k) => {
        const [qx, qy] = c[(k + 1) % 4]!
        base.push(px, py, 0, qx, qy, 0)
        posts.push(px, py, 0, px, py, z, px, py, z, qx, qy, z)
      })
      this.room.add(segments(base, strong))
    }
    this.room.add(segments(posts, faint))
    const far = Math.max(x, y) / 2
    this.label(v.shape === 'round' ? `⌀ ${x} mm` : `${x} mm`, new Vector3(0, -far * 1.16, 0), this.looks.ink)
    this.label(`${z} mm`, new Vector3(far * 1.02, far * 1.02, z), this.looks.ink)
    over.forEach((text, k) =>
      this.label(text, new Vector3(0, 0, this.size.z + far * (0.12 + 0.13 * k)), this.looks.stop),
    )
    this.draw()
  }

  private label(text: string, at: Vector3, colour: string, into = this.room, centre: readonly number[] = [0.5, 0.5]) {
    const c = document.createElement('canvas')
    const g = c.getContext('2d')!
    const font = "600 34px 'Atkinson Hyperlegible Mono Variable', monospace"
    g.font = font
    c.width = Math.ceil(g.measureText(text).width) + 20
    c.height = 52
    g.font = font
    g.fillStyle = this.looks.paper
    g.fillRect(0, 0, c.width, c.height)
    g.fillStyle = colour
    g.fillText(text, 10, 38)
    const s = new Sprite(new SpriteMaterial({ map: inked(c), depthTest: false, sizeAttenuation: false }))
    s.position.copy(at)
    const tall = labelPixels / (Math.max(120, this.tall) * 1.74) // 1.74: the view's height at distance 1, inverse
    s.scale.set((tall * c.width) / c.height, tall, 1)
    s.renderOrder = 11
    s.center.set(centre[0]!, centre[1]!)
    into.add(s)
  }

  /** Looks at the machine's whole room, at all that lies on its plate, or close at the part. */
  frame(what: 'plate' | 'copies' | 'part') {
    const h = this.half.value
    const reach = {
      plate: Math.max(h.x, h.y, this.size.x / 2, this.size.y / 2, h.z / 2) * 2.5,
      copies: Math.max(h.x, h.y) * 1.7,
      part: Math.max(this.size.x, this.size.y, this.size.z) * 1.35,
    }[what]
    const target = new Vector3(0, 0, what === 'plate' ? h.z * 0.42 : this.size.z / 2)
    const far = (reach / 2 / Math.tan((this.camera.fov * Math.PI) / 360)) * Math.max(1, 1.1 / this.camera.aspect) * 1.12
    this.camera.position.copy(target).add(new Vector3(0.42, -0.8, 0.5).normalize().multiplyScalar(far))
    this.camera.near = far / 50
    this.camera.far = far * 20
    this.camera.updateProjectionMatrix()
    this.controls.target.copy(target)
    this.controls.update()
    this.draw()
  }

  /** Turns the view by degrees about the vertical. */
  turn(deg: number) {
    const d = this.camera.position.clone().sub(this.controls.target)
    d.applyAxisAngle(new Vector3(0, 0, 1), (deg * Math.PI) / 180)
    this.camera.position.copy(this.controls.target).add(d)
    this.controls.update()
    this.draw()
  }

  draw() {
    if (this.pending) return
    this.pending = requestAnimationFrame(() => {
      this.pending = 0
      this.renderer.render(this.scene, this.camera)
    })
  }

  dispose() {
    cancelAnimationFrame(this.pending)
    cancelAnimationFrame(this.flight)
    this.controls.dispose()
    empty(this.marks)
    empty(this.paths)
    empty(this.part)
    empty(this.room)
    this.renderer.dispose()
    this.renderer.forceContextLoss()
  }
}

/** Where the camera stands, seen from the place. */
const ways = { above: [0.1, -0.5, 1.2], below: [0.45, -0.8, -0.5], side: [0.45, -0.85, 0.15] } as const
export type SeenFrom = keyof typeof ways

const ends = (s: readonly number[]): [Vector3, Vector3] => [
  new Vector3(s[0], s[1], s[2]),
  new Vector3(s[3], s[4], s[5]),
]

/** A picture in the colours that it was drawn with. */
function inked(c: HTMLCanvasElement) {
  const t = new CanvasTexture(c)
  t.colorSpace = SRGBColorSpace
  return t
}

/** What needs support. */
const supportInk = '#8E4585'

/** Strokes across what is meant, so that its shading is seen between them. */
function hatched(colour: string) {
  const m = new MeshBasicMaterial({
    color: colour,
    side: DoubleSide,
    transparent: true,
    polygonOffset: true,
    polygonOffsetFactor: -1,
    polygonOffsetUnits: -1,
  })
  m.onBeforeCompile = (s) => {
    s.fragmentShader = s.fragmentShader.replace(
      '#include <color_fragment>',
      `#include <color_fragment>
      diffuseColor.a = mod(gl_FragCoord.x - gl_FragCoord.y, 8.0) < 3.5 ? 0.95 : 0.22;`,
    )
  }
  return m
}

function segments(points: number[], material: LineBasicMaterial) {
  const g = new BufferGeometry()
  g.setAttribute('position', new BufferAttribute(new Float32Array(points), 3))
  return new LineSegments(g, material)
}

function empty(group: Group) {
  group.traverse((o) => {
    if (o instanceof Mesh || o instanceof LineSegments || o instanceof LineLoop) {
      // LineSegments2 is a Mesh
      o.geometry.dispose()
      o.material.dispose()
    } else if (o instanceof Sprite) {
      o.material.map?.dispose()
      o.material.dispose()
    }
  })
  group.clear()
}
