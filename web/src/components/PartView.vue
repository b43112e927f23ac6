<script lang="ts">
import type { CameraView, PathLayer, Stand } from './partScene'

export interface LayerShown {
  layer: PathLayer
  kinds: ReadonlySet<number>
  upTo: number
  /** Whether the part below is the one that was sliced. */
  body: boolean
  /** Whether several copies lie on the plate. */
  many: boolean
}
</script>

<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useTheme } from 'vuetify'
import type { Evidence, LadderRow } from '../api/client'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import type { PartScene, SeenFrom } from './partScene'
import { overWords } from './over'

const props = defineProps<{
  pieceId: number
  row: LadderRow | undefined
  /** @default the one that counts */
  version?: number
  /** Changes when the model has, so that it is fetched anew. */
  stamp?: string
  /** What to draw of a finding, and where to fly. */
  evidence?: Evidence
  place?: readonly number[]
  /** Which check found what is shown. */
  check?: string
  /** Where on its plate the copy lies that evidence is shown on, mm. @default the plate's middle */
  at?: { x: number; y: number }
  /** The layer to draw instead of the whole part. */
  layer?: LayerShown
  /** How the piece stands. @default as it came */
  stand?: Stand
  /** Turn about the vertical, degrees. @default the row's */
  turnDeg?: number
  /** Along which way it is pulled, in the model's coordinates; an arrow shows it. */
  pull?: readonly number[]
  /** A click tells of the face under it. */
  picking?: boolean
  /** Another view beside it has the keys, and leads. */
  follows?: boolean
  /** Stands above the picture. */
  caption?: string
}>()
/** A face was clicked: its way out, and the place, in the model's coordinates, mm. */
const emit = defineEmits<{ face: [out: [number, number, number], spot: [number, number, number]] }>()
/** Where it looks from; two views that share it move together. */
const view = defineModel<CameraView>('view')
const f = useFormats()
const theme = useTheme()
const box = ref<HTMLElement>()
const canvas = ref<HTMLCanvasElement>()
const scene = shallowRef<PartScene>()
const state = ref<'loading' | 'shown' | 'failed'>('loading')
// A part that fits is looked at closely; one that does not, with its machine.
const close = ref(props.row?.fits ?? true)
/** From where it is seen what some checks found; the others from outside. */
const seenFrom: Record<string, SeenFrom> = {
  overhangs: 'below',
  'begins in mid-air': 'below',
  'long bridge': 'below',
  'thin on support': 'below',
  'narrow gap': 'above',
  'weak neck': 'side',
  'tips over': 'side',
}
let lib: typeof import('./partScene')
let bytes: ArrayBuffer | undefined
let newest = 0

const looks = () => {
  const dark = theme.global.current.value.dark
  return {
    part: '#E4DCCB',
    ink: dark ? '#ECE6D9' : '#1F2A37',
    paper: dark ? '#171D25' : '#F6F3EC',
    rule: dark ? '#3A4452' : '#CFC8BA',
    stop: '#B0413E',
    attention: '#D99A2B',
    number: (mm: number) => f.value.number(mm, mm < 10 ? 2 : 1),
  }
}

function show() {
  if (!scene.value || !bytes || !props.row) return
  scene.value.setLooks(looks())
  scene.value.setPart(lib.readView(bytes.slice(0)), props.turnDeg ?? props.row.turn_deg, props.stand)
  scene.value.setVolume(
    { shape: props.row.shape, mm: props.row.volume_mm },
    props.row.fits ? [] : overWords(props.row, f.value).split(', '),
  )
  if (props.follows && view.value)
    scene.value.setView(view.value) // the view beside leads
  else scene.value.frame(close.value ? near.value : 'plate')
  scene.value.setLoad(props.pull)
  point()
  showLayer()
}

/** What is looked at closely: the part, or all its copies where several lie on the plate. */
const near = computed(() => (props.layer?.many ? 'copies' : 'part'))
watch(near, () => close.value && scene.value?.frame(near.value))

function showLayer() {
  if (!scene.value || !props.row) return
  scene.value.setLayer(
    props.layer?.layer,
    middle(),
    props.layer?.kinds ?? new Set(),
    props.layer?.upTo ?? 1,
    props.layer?.body ?? true,
  )
}

/** The plate's middle, in the plate's own coordinates. */
function middle() {
  const v = props.row!.volume_mm
  return props.row!.shape === 'round' ? { x: 0, y: 0 } : { x: v[0]! / 2, y: v[1]! / 2 }
}

/** Draws the evidence and flies to the place. */
function point() {
  if (!scene.value || !bytes || !props.row) return
  const aside = props.at && { x: props.at.x - middle().x, y: props.at.y - middle().y }
  scene.value.setEvidence(props.evidence, props.place, aside)
  if (props.place) scene.value.fly(props.place, aside, props.layer ? 'above' : seenFrom[props.check ?? ''])
}

async function load() {
  const mine = ++newest
  state.value = 'loading'
  try {
    lib = await import('./partScene')
    const answer = await fetch(`/api/pieces/${props.pieceId}/view?version=${props.version ?? 0}`, { cache: 'no-cache' })
    if (!answer.ok) throw new Error(`${answer.status}`)
    const got = await answer.arrayBuffer()
    if (mine !== newest || !canvas.value) return // another piece was asked for meanwhile
    bytes = got
    if (!scene.value) {
      scene.value = new lib.PartScene(canvas.value, looks())
      scene.value.onView = (v) => (view.value = v)
    }
    await nextTick()
    fit()
    show()
    state.value = 'shown'
  } catch {
    if (mine === newest) state.value = 'failed'
  }
}

function fit() {
  if (box.value) scene.value?.resize(box.value.clientWidth, box.value.clientHeight)
}

function swap() {
  close.value = !close.value
  scene.value?.frame(close.value ? near.value : 'plate')
}

/** Tells of the face under a click, unless the view was turned by it. */
let down = { x: 0, y: 0 }
function pressed(e: PointerEvent) {
  down = { x: e.clientX, y: e.clientY }
}
function clicked(e: MouseEvent) {
  if (!props.picking || !canvas.value || Math.hypot(e.clientX - down.x, e.clientY - down.y) > 4) return
  const r = canvas.value.getBoundingClientRect()
  const face = scene.value?.faceAt((2 * (e.clientX - r.left)) / r.width - 1, 1 - (2 * (e.clientY - r.top)) / r.height)
  if (face) emit('face', face.out, face.spot)
}

useResizeObserver(box, fit)
onMounted(load)
watch(() => [props.pieceId, props.version, props.stamp], load)
watch([() => props.row?.machine_id, () => theme.global.name.value], show)
watch(() => [JSON.stringify(props.stand), props.turnDeg, JSON.stringify(props.pull)], show)
watch(() => [props.evidence, props.place], point)
watch(() => props.layer, showLayer)
watch(view, (v) => v && scene.value?.setView(v))
onBeforeUnmount(() => {
  newest++
  scene.value?.dispose()
})

/** What the picture shows, for those who do not see it. */
const told = computed(() => {
  const r = props.row
  const on = r ? `${r.name}, ${r.volume_mm.map((v) => f.value.number(v)).join(' by ')} mm` : 'its plate'
  const fits = !r || r.fits ? '' : `; ${overWords(r, f.value)}`
  const mark = props.place ? `; a pin at ${props.place.map((v) => f.value.number(v, 1)).join(', ')} mm` : ''
  return `The part on ${on}${fits}${mark}`
})

if (!props.follows) {
  useKeys('Part', [
    { key: 'f', does: 'Look close at the part, or at the whole plate', run: swap },
    { key: 't', does: 'Look straight down', run: () => scene.value?.above() },
    { key: 'ArrowLeft', does: 'Walk round to the left', run: () => scene.value?.turn(-15) },
    { key: 'ArrowRight', does: 'Walk round to the right', run: () => scene.value?.turn(15) },
  ])
}
</script>

<template>
  <div ref="box" class="view" :data-state="state" :data-pins="place ? 1 : 0">
    <canvas ref="canvas" role="img" :aria-label="told" :class="{ picking }" @pointerdown="pressed" @click="clicked" />
    <p v-if="caption" class="caption small">{{ caption }}</p>
    <p v-if="state !== 'shown'" class="state quiet" role="status">
      {{ state === 'loading' ? 'Fetching the part …' : 'The part cannot be shown here.' }}
    </p>
    <button v-if="!follows" type="button" class="near small" @click="swap">
      {{ close ? 'Whole plate' : 'Close up' }} <kbd>F</kbd>
    </button>
  </div>
</template>

<style scoped>
.view {
  position: relative;
  min-height: 0;
  overflow: hidden;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  cursor: grab;
}
canvas.picking {
  cursor: crosshair;
}
.state {
  position: absolute;
  inset: 0;
  display: grid;
  place-items: center;
}
.caption {
  position: absolute;
  left: 8px;
  top: 4px;
  padding: 0 6px;
  background: var(--paper);
  font-weight: 600;
}
.near {
  position: absolute;
  right: 8px;
  bottom: 6px;
  padding: 0 4px;
  background: var(--paper);
  color: var(--ink);
}
</style>
