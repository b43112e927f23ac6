import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount } from '@vue/test-utils'
import {
  BoxGeometry,
  BufferGeometry,
  type Camera,
  Color,
  Matrix4,
  type Mesh,
  type Object3D,
  type Scene,
  type Sprite,
  Vector3,
} from 'three'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { LadderRow } from '../api/client'
import { page } from '../test-page'
import PartView from './PartView.vue'
import { PartScene, readView, standMatrix, type PathLayer } from './partScene'
import { components, createVuetify } from '../test-vuetify'

// There is no graphics card in a test: what would be drawn is kept, and told.
const drawn = vi.hoisted(() => ({ scene: undefined as unknown, camera: undefined as unknown, ended: 0, size: '' }))
vi.mock('three', async (original) => ({
  ...(await original<object>()),
  WebGLRenderer: class {
    setPixelRatio() {}
    setSize(w: number, h: number) {
      drawn.size = `${w} × ${h}`
    }
    render(scene: Scene, camera: Camera) {
      scene.updateMatrixWorld()
      camera.updateMatrixWorld()
      Object.assign(drawn, { scene, camera })
    }
    dispose() {
      drawn.ended++
    }
    forceContextLoss() {}
  },
}))

const round = (v: number) => String(Math.round(1e4 * v) / 1e4 + 0)
const rounded = (v: Iterable<number>) => [...v].map(round).join(' ')

/** Of numbers, each by its place, so that no two changed places. */
const sumOf = (all: number[]) => all.reduce((s, v, i) => s + v * ((i % 7) + 1), 0)

/** An object and what is in it, a line each. */
function told(o: Object3D, indent = ''): string {
  o.updateMatrixWorld()
  const m = o as Mesh
  const material = m.material as unknown as Record<string, unknown> | undefined
  const looks = Object.entries(material ?? {})
    .filter(([k]) => /^(opacity|side|depthTest|transparent|polygonOffset\w*|linewidth|vertexColors)$/.test(k))
    .map(([k, v]) => `${k}=${String(v)}`)
  if (material?.color instanceof Color) looks.push(`#${material.color.getHexString()}`)
  if (Array.isArray(material?.clippingPlanes)) looks.push(`cut at ${material.clippingPlanes.map((p) => p.constant)}`)
  const shader = {
    uniforms: {} as Record<string, { value: unknown }>,
    vertexShader: 'void main() {',
    fragmentShader: 'void main() {\n#include <color_fragment>',
  }
  if (m.material && !Array.isArray(m.material)) m.material.onBeforeCompile(shader as never, undefined as never)
  if (shader.fragmentShader.length > 50)
    looks.push(shader.vertexShader, shader.fragmentShader, JSON.stringify(shader.uniforms))
  const written = (o as Sprite).material?.map?.image as { said?: string[]; width: number; height: number } | undefined
  if (written) looks.push(`${written.width} by ${written.height}: ${written.said?.join('; ')}`)
  if ((o as Sprite).center) looks.push(`about ${rounded((o as Sprite).center.toArray())}`)
  const g = m.geometry as BufferGeometry | undefined
  const shape =
    g && !(o as Sprite).isSprite
      ? Object.entries(g.attributes).map(
          ([k, a]) =>
            `${k}: ${a.count} (${rounded(Array.from(a.array).slice(0, 9))} … ${round(sumOf(Array.from(a.array)))})`,
        )
      : []
  if (g?.drawRange.count !== undefined && g.drawRange.count !== Infinity) shape.push(`of it ${g.drawRange.count}`)
  const line = [
    o.type,
    o.visible ? '' : 'unseen',
    `at ${rounded(o.matrixWorld.elements)}`,
    o.renderOrder || '',
    ...looks,
    ...shape,
  ]
  return `${indent}${line.filter(Boolean).join(' ')}\n${o.children.map((c) => told(c, indent + ' ')).join('')}`
}
const now = () => {
  while (frames.length) frames.shift()!()
  return drawn as { scene: Scene; camera: Camera & { near: number; far: number; aspect: number } }
}
const all = () => {
  const c = now().camera
  const along = c.getWorldDirection(new Vector3())
  const near = rounded([c.near, c.far, c.aspect])
  return `seen from ${rounded(c.position.toArray())} along ${rounded(along.toArray())}, ${near}\n${told(now().scene)}`
}
const groups = () => now().scene.children.filter((c) => c.type === 'Group')
const part = () => groups()[1]!
const marks = () => groups()[2]!
const paths = () => groups()[3]!
const load = () => groups()[4]!

let clock = 0
const frames: (() => void)[] = []
/** All that was asked to be drawn is. */
async function settle() {
  await flushPromises()
  while (frames.length) {
    frames.shift()!()
    await settle()
  }
}
beforeEach(() => {
  clock = 0
  vi.spyOn(performance, 'now').mockImplementation(() => (clock += 100))
  frames.length = 0
  vi.stubGlobal('requestAnimationFrame', (f: () => void) => frames.push(f))
  vi.stubGlobal('cancelAnimationFrame', () => undefined)
  vi.stubGlobal('matchMedia', () => ({ matches: false, addEventListener() {}, removeEventListener() {} }))
  HTMLCanvasElement.prototype.setPointerCapture = () => undefined
  // What is written on a canvas is kept with it.
  HTMLCanvasElement.prototype.getContext = function (this: HTMLCanvasElement & { said?: string[] }) {
    this.said ??= []
    const said = this.said
    return new Proxy(
      {},
      {
        get: (_, k) =>
          k === 'measureText'
            ? (s: string) => ({ width: 20 * s.length })
            : (...a: unknown[]) => said.push(`${String(k)} ${a.join(' ')}`),
        set: (_, k, v) => said.push(`${String(k)} = ${v}`) > 0,
      },
    )
  } as never
})
afterEach(() => {
  vi.restoreAllMocks()
  vi.unstubAllGlobals()
  document.body.innerHTML = ''
})

const looks = {
  part: '#aabbcc',
  ink: '#112233',
  paper: '#ffffff',
  rule: '#dddddd',
  stop: '#b00000',
  attention: '#d09000',
  number: (mm: number) => mm.toFixed(1),
}
/** A box away from the origin: 10 by 20 by 30 about (100, 200, 300). */
function box() {
  const g = new BoxGeometry(10, 20, 30).translate(100, 200, 300)
  g.deleteAttribute('normal')
  g.deleteAttribute('uv')
  g.clearGroups()
  return g
}
function scene() {
  const canvas = document.createElement('canvas')
  document.body.append(canvas)
  const s = new PartScene(canvas, looks)
  s.resize(800, 600)
  s.setPart(box(), 0)
  s.setVolume({ shape: 'rectangle', mm: [200, 150, 180] }, [])
  return s
}
const extent = () => {
  const g = (part().children[0] as Mesh).geometry
  g.computeBoundingBox()
  return rounded([...g.boundingBox!.min.toArray(), ...g.boundingBox!.max.toArray()])
}

describe('a part on its plate', () => {
  it('stands in its middle, as it is turned, scaled and mirrored', () => {
    const s = scene()
    expect(extent()).toBe('-5 -10 0 5 10 30')
    s.setPart(box(), 90)
    expect(extent()).toBe('-10 -5 0 10 5 30')
    s.setPart(box(), 0, { turn: [Math.SQRT1_2, Math.SQRT1_2, 0, 0], scale: [2, 0, 1] })
    expect(extent()).toBe('-10 -15 0 10 15 20')
    const p = new Vector3(1, 2, 3).applyMatrix4(standMatrix({ turn: [0, 0, 0, 0], scale: [1, 2, 3], mirror: true }))
    expect(p.toArray()).toEqual([-1, 4, 9])
    expect(standMatrix(undefined).equals(new Matrix4())).toBe(true)
    s.dispose()
    expect(drawn.ended).toBe(1)
  })
  it('is drawn with its evidence, distances, load and machine', () => {
    const s = scene()
    const spans = [[95, 190, 285, 105, 190, 285]]
    s.setEvidence(
      { check: 'overhangs', faces: [[95, 190, 285, 105, 190, 285, 105, 210, 285]], spans },
      [100, 200, 315],
      { x: 30, y: 5 },
    )
    expect(marks().children.map((c) => c.type)).toEqual(['Mesh', 'LineSegments2', 'LineSegments2', 'Sprite'])
    const at = new Vector3(95, 190, 285).applyMatrix4(marks().matrix)
    expect(rounded(at.toArray())).toBe('25 -5 0')
    const views = [all()]
    s.setEvidence({ lines: [[0, 0, 0, 1, 1, 1]], faces: [] }, [100, 200, 315])
    s.setLoad([0, 0, 2])
    expect(load().children.map((c) => rounded(new Vector3(0, 1, 0).applyQuaternion(c.quaternion).toArray()))).toEqual([
      '0 0 1',
      '0 0 -1',
    ])
    s.fly([100, 200, 315])
    views.push(all())
    s.fly([100, 200, 285], { x: 3, y: 4 }, 'below')
    s.setVolume({ shape: 'round', mm: [200, 200, 90] }, ['12 mm too wide', '3 mm too tall'])
    views.push(all())
    s.setLoad(undefined)
    s.setEvidence(undefined, undefined)
    expect(marks().children.length + load().children.length).toBe(0)
    for (const what of ['plate', 'copies', 'part'] as const) {
      s.frame(what)
      views.push(all().split('\n')[0]!)
    }
    s.above()
    views.push(all().split('\n')[0]!)
    s.turn(90)
    views.push(all().split('\n')[0]!)
    let told: string | undefined
    s.onView = (v) => (told = rounded([...v.from, ...v.at]))
    s.setView({ from: [10, -300, 40], at: [1, 2, 3] })
    expect(told).toBe('10 -300 40 1 2 3')
    told = undefined
    s.setView({ from: [10, -300, 40], at: [1, 2, 3] })
    expect(told, 'it looks from there already').toBeUndefined()
    s.setLooks({ ...looks, ink: '#000001' })
    s.resize(400, 0)
    s.setVolume({ shape: 'rectangle', mm: [55, 45, 60] }, [])
    views.push(all())
    expect(views.join('\n')).toMatchSnapshot()
  })
  it('looks at a place from where it is seen past the part', () => {
    const s = scene()
    s.setPart(readView(bell()), 0)
    const c = () => now().camera.position
    s.fly([0, 0, 20], undefined, 'below') // the roof of a bell, from within
    expect(Math.hypot(c().x, c().y), 'from straight below').toBeLessThan(4)
    expect(c().z).toBeLessThan(0)
    s.fly([0, 0, 25], undefined, 'above')
    expect(c().z).toBeGreaterThan(25)
  })
  it('tells the face under a click in the model’s coordinates', () => {
    const s = scene()
    s.setPart(box(), 30, { turn: [0, 1, 0, 0], scale: [1, 1, 1] })
    s.frame('part')
    s.above()
    now()
    const f = s.faceAt(0, 0)!
    expect(rounded(f.out), 'it stands on its head').toBe('0 0 -1')
    expect(f.spot[2]).toBeCloseTo(285, 6)
    expect(s.faceAt(-0.99, 0.99)).toBeUndefined()
  })
  it('has the lines of a layer as wide as they are, as far as it is played', () => {
    const s = scene()
    const layer: PathLayer = {
      top: 0.4,
      height: 0.2,
      lines: [
        { kind: 1, width: 0.5, points: new Float32Array([100, 75, 110, 75, 110, 85]) },
        { kind: 2, width: 0.4, points: new Float32Array([100, 75, 90, 75]) },
      ],
    } as never
    s.setLayer(layer, { x: 100, y: 75 }, new Set([1]), 1, false)
    const g = () => (paths().children[0] as Mesh).geometry
    expect(part().visible).toBe(false)
    expect(g().getAttribute('position').count, 'of one kind alone').toBe(12)
    expect(rounded(Array.from(g().getAttribute('position').array).slice(0, 9))).toBe(
      '0 0.23 0.42 0 -0.23 0.42 10 -0.23 0.42',
    )
    expect(g().drawRange.count).toBe(12)
    const views = [all()]
    s.setLayer(layer, { x: 100, y: 75 }, new Set([1, 2]), 0.5, true)
    expect(g().drawRange.count, 'two of three').toBe(12)
    expect(part().visible).toBe(true)
    views.push(all())
    s.setLayer(layer, { x: 0, y: 0 }, new Set([1, 2]), 0.1, true)
    expect(g().drawRange.count).toBe(6)
    views.push(all())
    s.setLayer(undefined, { x: 0, y: 0 }, new Set(), 0.1, false)
    expect([part().visible, paths().children.length]).toEqual([true, 0])
    expect(views.join('\n')).toMatchSnapshot()
  })
})

/** An open-bottomed bell, as the server sends a part: 20 wide, 25 high, its roof within at 20. */
function bell(): ArrayBuffer {
  const outer = new BoxGeometry(20, 20, 25).translate(0, 0, 12.5)
  const inner = new BoxGeometry(16, 16, 20).translate(0, 0, 10)
  const points = [outer, inner].flatMap((g) => Array.from(g.getAttribute('position').array))
  const faces = [outer, inner].flatMap((g, k) =>
    // No bottoms: neither face of either that lies at 0.
    Array.from({ length: g.index!.count / 3 }, (_, t) => [0, 1, 2].map((s) => g.index!.getX(3 * t + s)))
      .filter((t) => t.some((v) => g.getAttribute('position').getZ(v) > 0))
      .map((t) => t.map((v) => v + 24 * k)),
  )
  const out = new ArrayBuffer(8 + 4 * points.length + 12 * faces.length)
  new Uint32Array(out, 0, 2).set([points.length / 3, faces.length])
  new Float32Array(out, 8, points.length).set(points)
  new Uint32Array(out, 8 + 4 * points.length).set(faces.flat())
  return out
}

describe('the view of a part', () => {
  const row = (more: Partial<LadderRow> = {}) =>
    ({
      machine_id: 1,
      name: 'Bowline',
      fits: true,
      over_mm: [0, 0, 0],
      shape: 'rectangle',
      volume_mm: [200, 150, 180],
      turn_deg: 30,
      ...more,
    }) as LadderRow
  async function shown(props: object) {
    const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false } } })
    const w = mount(PartView, {
      attachTo: document.body,
      props: { pieceId: 4, row: row(), ...props },
      global: { plugins: [createVuetify({ components }), [VueQueryPlugin, { queryClient }]] as never },
    })
    await vi.waitFor(async () => {
      await settle()
      expect(w.attributes('data-state')).not.toBe('loading')
    })
    return w
  }
  const asked: string[] = []
  beforeEach(() => {
    asked.length = 0
    vi.stubGlobal('fetch', async (url: string) => {
      asked.push(url)
      return /pieces|house/.test(url) && !url.includes('/404/')
        ? { ok: true, arrayBuffer: async () => bell() }
        : { ok: false, status: 404 }
    })
  })

  it('fetches what counts, shows it close, and says what it shows', async () => {
    const w = await shown({
      version: 3,
      place: [1, 2, 3.25],
      check: 'overhangs',
      evidence: { check: 'overhangs', lines: [[0, 0, 0, 5, 0, 0]] },
    })
    expect(asked.filter((a) => a.includes('pieces'))).toEqual(['/api/pieces/4/view?version=3'])
    const views = [page(document.body), all()]
    await w.find('.near').trigger('click')
    views.push(page(document.body), all().split('\n')[0]!)
    for (const key of ['f', 't', 'ArrowLeft', 'ArrowRight', 'ArrowRight']) {
      document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
      await settle()
      views.push(key, all().split('\n')[0]!)
    }
    await w.setProps({
      row: row({ machine_id: 2, name: 'Capstan', shape: 'round', fits: false, over_mm: [12, 0, 3] }),
      place: undefined,
      pull: [1, 0, 0],
    })
    await settle()
    views.push(page(document.body), all())
    await w.setProps({ turnDeg: 0, stand: { turn: [0, 1, 0, 0], scale: [1, 1, 1] }, caption: 'As it stood' })
    await settle()
    views.push(page(document.body), all())
    const layer = {
      top: 0.4,
      height: 0.2,
      lines: [{ kind: 1, width: 0.5, points: new Float32Array([100, 75, 110, 75]) }],
    }
    await w.setProps({
      row: row(),
      at: { x: 50, y: 40 },
      place: [0, 0, 20],
      layer: { layer, kinds: new Set([1]), upTo: 1, body: true, many: true },
    })
    await settle()
    views.push(page(document.body), all())
    await w.setProps({ version: 0, stamp: 'new' })
    await settle()
    await settle()
    expect(asked.filter((a) => a.includes('pieces')).at(-1)).toBe('/api/pieces/4/view?version=0')
    expect(views.join('\n')).toMatchSnapshot()
    const ended = drawn.ended
    w.unmount()
    expect(drawn.ended).toBe(ended + 1)
  })
  it('tells which face was clicked, where faces are asked for and the view was not turned by it', async () => {
    const w = await shown({ row: row({ turn_deg: 0 }) })
    const canvas = w.find('canvas')
    vi.spyOn(canvas.element, 'getBoundingClientRect').mockReturnValue({
      left: 10,
      top: 20,
      width: 200,
      height: 100,
    } as DOMRect)
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 't', bubbles: true }))
    const click = async (x: number, y: number, from = x) => {
      canvas.element.dispatchEvent(new MouseEvent('pointerdown', { clientX: from, clientY: y }))
      canvas.element.dispatchEvent(new MouseEvent('click', { clientX: x, clientY: y }))
      await settle()
      return w.emitted('face')?.length ?? 0
    }
    expect(await click(110, 70), 'nobody asks').toBe(0)
    await w.setProps({ picking: true })
    await settle()
    expect(await click(110, 70, 120), 'it was turned').toBe(0)
    expect(await click(11, 21), 'beside the part').toBe(0)
    expect(await click(110, 70)).toBe(1)
    const [out, spot] = w.emitted('face')![0] as [number[], number[]]
    expect(rounded(out)).toBe('0 0 1')
    expect(spot[2]).toBeCloseTo(25, 4)
  })
  it('says so where it cannot be shown, and moves with the view beside it', async () => {
    const w = await shown({ pieceId: 404 })
    vi.stubGlobal('fetch', async () => ({ ok: false, status: 404 }))
    await w.setProps({ pieceId: 5 })
    await settle()
    await settle()
    expect(w.attributes('data-state')).toBe('failed')
    expect(page(document.body)).toMatchSnapshot()
    w.unmount()
    vi.stubGlobal('fetch', async () => ({ ok: true, arrayBuffer: async () => bell() }))
    const v = { from: [1, -90, 4], at: [0, 0, 3] }
    const b = await shown({ follows: true, view: v })
    expect(rounded(now().camera.position.toArray())).toBe('1 -90 4')
    expect(b.find('.near').exists()).toBe(false)
    await b.setProps({ view: { from: [2, -80, 4], at: [0, 0, 3] } })
    expect(rounded(now().camera.position.toArray())).toBe('2 -80 4')
  })
})
