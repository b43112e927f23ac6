<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { JobView, LadderRow, PieceView, SliceView } from '../api/client'
import { useOrderSlice } from '../api/queries'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { useOrderDraft, type Pin } from '../composables/orderDraft'

const props = defineProps<{
  job: JobView
  piece: PieceView
  row: LadderRow | undefined
  slice: SliceView | undefined
  may: boolean
  /** Whether the panel is the one in view. */
  seen: boolean
}>()
const plate = defineModel<number>('plate', { default: 1 })
const emit = defineEmits<{ open: [] }>()
const f = useFormats()
const order = useOrderSlice()

const ofSlice = () => (props.slice?.pins ?? []).map((p) => ({ ...p }))
/** Copies of this piece that stay where they are put, as they will be sliced next; kept over reloads. */
const asks = useOrderDraft(() => props.piece.id)
const put = computed(() => {
  const p = asks.draft.value.pins
  return p && p.slice === props.slice?.id ? p.at : undefined
})
/** Where one is while it is dragged. */
const dragged = ref<Pin>()
const pins = computed<Pin[]>(() => {
  const all = put.value ?? ofSlice()
  const d = dragged.value
  return d ? [...all.filter((x) => x.copy !== d.copy), d] : all
})
const keep = (at: Pin[]) =>
  asks.change((d) => {
    if (props.slice) d.pins = { slice: props.slice.id, at }
  })
const chosen = ref<number>()
watch(
  () => [props.piece.id, props.slice?.id],
  () => (chosen.value = undefined),
)
const plates = computed(() => props.slice?.plates ?? [])
const shown = computed(() => plates.value.find((p) => p.n === plate.value) ?? plates.value[0])

/** Shadows about their own middle, by piece and turn. */
const shadows = computed(() => {
  const all = new Map<string, number[][]>()
  for (const s of plates.value.flatMap((p) => p.spots))
    if (s.outline_mm?.length) all.set(`${s.piece_id} ${s.turn_deg}`, s.outline_mm)
  return all
})
interface Lying extends Pin {
  piece: number
  pinned: boolean
  path: number[][]
}
const lying = computed<Lying[]>(() => {
  const now = (shown.value?.spots ?? []).map((s) => ({
    piece: s.piece_id,
    copy: s.copy,
    plate: shown.value!.n,
    x_mm: s.x_mm,
    y_mm: s.y_mm,
    turn_deg: s.turn_deg,
    pinned: false,
    path: shadows.value.get(`${s.piece_id} ${s.turn_deg}`) ?? [],
  }))
  return now.map((l) => {
    const p = l.piece === props.piece.id && pins.value.find((x) => x.copy === l.copy)
    if (!p) return l
    const by = ((p.turn_deg - l.turn_deg) * Math.PI) / 180
    const [sin, cos] = [Math.sin(by), Math.cos(by)]
    return { ...l, ...p, pinned: true, path: l.path.map(([x, y]) => [x! * cos - y! * sin, x! * sin + y! * cos]) }
  })
})
const current = computed(() => lying.value.find((l) => l.piece === props.piece.id && l.copy === chosen.value))
const volume = computed(() => props.row?.volume_mm ?? [200, 200, 200])
const round = computed(() => props.row?.shape === 'round')
const box = computed(() => {
  const [x, y] = volume.value as [number, number]
  return round.value ? [-x / 2, -x / 2, x, x] : [0, 0, x, y]
})
// On the screen up is back: y runs the other way.
const points = (l: Lying) => l.path.map(([x, y]) => `${l.x_mm + x!},${-(l.y_mm + y!)}`).join(' ')

const open = computed(() => props.may && !!props.slice?.full && !order.isPending.value)
function set(p: Pin) {
  keep([...pins.value.filter((x) => x.copy !== p.copy), p])
}
const tenth = (v: number) => Math.round(v * 10) / 10
function move(dx: number, dy: number) {
  const c = current.value
  if (!open.value || !c) return
  const { copy, plate, turn_deg } = c
  set({ copy, plate, turn_deg, x_mm: tenth(c.x_mm + dx), y_mm: tenth(c.y_mm + dy) })
}
function turn(deg: number) {
  const c = current.value
  if (!open.value || !c) return
  set({ copy: c.copy, plate: c.plate, x_mm: c.x_mm, y_mm: c.y_mm, turn_deg: (c.turn_deg + deg + 360) % 360 })
}
function pinOrNot() {
  const c = current.value
  if (!open.value || !c) return
  if (c.pinned) keep(pins.value.filter((x) => x.copy !== c.copy))
  else move(0, 0)
}
function next() {
  const own = lying.value.filter((l) => l.piece === props.piece.id)
  if (!own.length) return
  emit('open')
  chosen.value = own[(own.findIndex((l) => l.copy === chosen.value) + 1) % own.length]!.copy
}
const changed = computed(() => JSON.stringify(pins.value) !== JSON.stringify(ofSlice()))
function tidy() {
  const s = props.slice
  if (!open.value || !s) return
  order.mutate({
    piece: props.piece.id,
    order: {
      machine_id: s.machine_id,
      overrides: s.overrides,
      support_marks: s.support_marks,
      regions: s.regions,
      stand: s.stand,
      pins: pins.value.map(({ copy, plate, x_mm, y_mm, turn_deg }) => ({ copy, plate, x_mm, y_mm, turn_deg })),
    },
  })
}

// Dragging one with the pointer pins it where it is let go.
const svg = ref<SVGSVGElement>()
let from: { x: number; y: number; at: Lying } | undefined
const onPlate = (e: PointerEvent) => {
  const m = svg.value?.getScreenCTM()?.inverse()
  const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(m)
  return { x: p.x, y: -p.y }
}
function grab(e: PointerEvent, l: Lying) {
  if (l.piece !== props.piece.id) return
  chosen.value = l.copy
  if (!open.value) return
  from = { ...onPlate(e), at: l }
  svg.value?.setPointerCapture(e.pointerId)
}
function drag(e: PointerEvent) {
  if (!from) return
  const p = onPlate(e)
  const { copy, plate, turn_deg, x_mm, y_mm } = from.at
  if (Math.hypot(p.x - from.x, p.y - from.y) > 0.5)
    dragged.value = { copy, plate, turn_deg, x_mm: tenth(x_mm + p.x - from.x), y_mm: tenth(y_mm + p.y - from.y) }
}
function drop() {
  if (dragged.value) set(dragged.value)
  from = dragged.value = undefined
}

const here = () => !!current.value
const mayUndo = () => props.seen && asks.undoable.value
useKeys('The plate', [
  { key: 'Backspace', does: 'Take the last move back', run: asks.undo, when: mayUndo },
  { key: 'Shift+Backspace', does: 'Move it again', run: asks.redo, when: () => props.seen && asks.redoable.value },
  { key: 'q', does: 'The plate: its next copy', run: next, when: () => !!props.slice?.plates.length },
  { key: 'Shift+q', does: 'Pin this copy, or let it go', run: pinOrNot, when: here },
  ...(
    [
      ['Shift+ArrowLeft', 'left', -1, 0],
      ['Shift+ArrowRight', 'right', 1, 0],
      ['Shift+ArrowUp', 'back', 0, 1],
      ['Shift+ArrowDown', 'forward', 0, -1],
    ] as const
  ).map(([key, does, x, y]) => ({ key, does: `Move this copy ${does} by 1 mm`, run: () => move(x, y), when: here })),
])
</script>

<template>
  <section v-if="slice?.plates.length && shown" class="plate" aria-label="The plate">
    <div v-if="plates.length > 1" class="which">
      <button v-for="p in plates" :key="p.n" type="button" :aria-pressed="p.n === shown.n" @click="plate = p.n">
        Plate {{ p.n }}
      </button>
    </div>
    <svg
      ref="svg"
      :viewBox="`${box[0]! - 4} ${-box[1]! - box[3]! - 4} ${box[2]! + 8} ${box[3]! + 8}`"
      role="img"
      :aria-label="`Plate ${shown.n} of ${slice.machine} from above: ${lying.length} copies`"
      @pointermove="drag"
      @pointerup="drop"
      @pointercancel="drop"
    >
      <circle v-if="round" cx="0" cy="0" :r="box[2]! / 2" class="bed" />
      <rect v-else :x="box[0]" :y="-box[1]! - box[3]!" :width="box[2]" :height="box[3]" class="bed" />
      <g v-for="l in lying" :key="`${l.piece} ${l.copy}`">
        <polygon
          :points="points(l)"
          class="copy"
          :class="{ own: l.piece === piece.id, chosen: l === current, pinned: l.pinned }"
          @pointerdown="grab($event, l)"
        />
        <text v-if="l.piece === piece.id" :x="l.x_mm" :y="-l.y_mm" class="name">
          {{ l.copy }}{{ l.pinned ? ' ◆' : '' }}
        </text>
      </g>
    </svg>
    <p class="small quiet">From above, the front below. <kbd>Q</kbd> takes the next copy.</p>
    <div class="copies">
      <button
        v-for="l in lying.filter((x) => x.piece === piece.id)"
        :key="l.copy"
        type="button"
        :aria-pressed="l === current"
        @click="chosen = l.copy"
      >
        copy {{ l.copy }}{{ l.pinned ? ' ◆' : '' }}
      </button>
    </div>
    <div v-if="current" class="acts">
      <span class="num"
        >X {{ f.number(current.x_mm, 1) }}, Y {{ f.number(current.y_mm, 1) }} mm,
        {{ f.number(current.turn_deg, 0) }}°</span
      >
      <v-btn size="small" :disabled="!open" @click="pinOrNot">{{ current.pinned ? 'Let it go' : 'Pin it here' }}</v-btn>
      <v-btn size="small" :disabled="!open" @click="turn(90)">Turn by 90°</v-btn>
      <v-btn size="small" :disabled="!open" @click="turn(15)">by 15°</v-btn>
      <span class="small quiet"><kbd>Shift</kbd> and arrows move it by 1 mm.</span>
    </div>
    <div class="acts">
      <v-btn size="small" :disabled="!asks.undoable.value" @click="asks.undo">Undo</v-btn>
      <v-btn size="small" :disabled="!asks.redoable.value" @click="asks.redo">Redo</v-btn>
    </div>
    <v-btn :disabled="!open || !changed" class="tidy" color="primary" variant="flat" @click="tidy"
      >Lay the others round them</v-btn
    >
    <p class="small quiet">
      What is pinned stays; the rest is laid out again, and the plate is sliced anew as a variant of its own.
    </p>
  </section>
  <p v-else class="quiet">The plate is shown when it has been sliced: <kbd>L</kbd> under Slices.</p>
</template>

<style scoped>
.plate {
  display: grid;
  gap: 8px;
}
svg {
  width: 100%;
  max-height: 46vh;
  touch-action: none;
}
.bed {
  fill: var(--card);
  stroke: var(--ink);
  stroke-width: 0.6;
}
.copy {
  fill: #e4dccb;
  stroke: #1f2a37;
  stroke-width: 0.4;
  opacity: 0.55;
}
.copy.own {
  opacity: 1;
  cursor: grab;
}
.copy.pinned {
  stroke-width: 1.2;
}
.copy.chosen {
  stroke: var(--accent);
  stroke-width: 1.8;
}
.name {
  font-size: 6px;
  text-anchor: middle;
  dominant-baseline: middle;
  fill: #1f2a37;
  pointer-events: none;
}
.which,
.copies {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.which button,
.copies button {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 0 8px;
  min-height: 25px;
}
[aria-pressed='true'] {
  border-color: var(--ink) !important;
  font-weight: 600;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 10px;
  align-items: center;
}
.tidy {
  justify-self: start;
}
</style>
