<script setup lang="ts">
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { RunView } from '../api/client'
import { useAdvance, useFloor, useMoveRun, useRunFailed } from '../api/queries'
import RoomState from '../components/RoomState.vue'
import { moved, placeAt, shifted, type Place } from '../components/lanes'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { useRoomTitle } from '../composables/title'
import { useUnsaved } from '../composables/unsaved'

const f = useFormats()
const router = useRouter()
useRoomTitle('Floor')
const query = useFloor()
const move = useMoveRun()
const advance = useAdvance()
const fail = useRunFailed()
const floor = computed(() => query.data.value)

const hour = 3_600_000
const scales = [52, 30, 14]
const scale = ref(0)
const perHour = computed(() => scales[scale.value]!)
const days = 7
const from = computed(() => {
  const started = (floor.value?.lanes ?? []).flatMap((l) =>
    l.runs.filter((r) => r.start).map((r) => Date.parse(r.start!)),
  )
  const first = Math.min(Date.parse(floor.value?.now ?? '') - hour, ...started)
  return Math.floor(first / hour) * hour
})
const width = computed(() => days * 24 * perHour.value)
const x = (t: number) => ((t - from.value) / hour) * perHour.value
const at = (iso: string) => x(Date.parse(iso))

const closed = computed(() => {
  const out: { left: number; width: number }[] = []
  let edge = 0
  for (const o of floor.value?.open ?? []) {
    const a = at(o.from)
    if (a > edge) out.push({ left: edge, width: Math.min(a, width.value) - edge })
    edge = Math.max(edge, at(o.to))
  }
  if (edge < width.value) out.push({ left: edge, width: width.value - edge })
  return out.filter((c) => c.width > 0)
})
const ticks = computed(() => {
  const every = perHour.value > 40 ? 1 : perHour.value > 20 ? 2 : 4
  const out: { left: number; text: string; day: string }[] = []
  let before = ''
  for (let t = from.value; x(t) < width.value; t += hour) {
    const iso = new Date(t).toISOString()
    const h = Number(f.value.clock(iso).slice(0, 2))
    const day = f.value.dayOf(iso)
    if (h % every === 0 || day !== before)
      out.push({ left: x(t), text: String(h).padStart(2, '0'), day: day !== before ? day : '' })
    before = day
  }
  return out
})

const chosenId = ref<number>()
const all = computed(() => floor.value?.lanes.flatMap((l) => l.runs) ?? [])
// One that failed is off the floor; its successor takes its place here, too.
const chosenJob = ref<number>()
const chosen = computed(
  () => all.value.find((r) => r.id === chosenId.value) ?? all.value.find((r) => r.job_id === chosenJob.value),
)
const others = computed(
  () => floor.value?.lanes.filter((l) => l.in_service && l.machine_id !== chosen.value?.machine_id) ?? [],
)
const scroller = ref<HTMLElement>()

const named = (r: RunView) => (r.plates && r.plates > 1 ? `${r.title} ${r.plate}/${r.plates}` : r.title)

function choose(r: RunView | undefined) {
  if (!r) return
  chosenId.value = r.id
  chosenJob.value = r.job_id
  const el = scroller.value
  if (!el || !r.start) return
  const left = at(r.start)
  if (left < el.scrollLeft || left > el.scrollLeft + el.clientWidth - 260) el.scrollLeft = left - 60
}

/** Walks from block to block: along the lane, or to the lane above or below. */
function walk(dx: number, dy: number) {
  const lanes = floor.value?.lanes.filter((l) => l.runs.length) ?? []
  const y = lanes.findIndex((l) => l.runs.some((r) => r.id === chosen.value?.id))
  if (y < 0) return choose(lanes[0]?.runs[0])
  const lane = lanes[Math.min(lanes.length - 1, Math.max(0, y + dy))]!
  const i = lanes[y]!.runs.findIndex((r) => r.id === chosen.value?.id)
  const next = lane.runs[Math.min(lane.runs.length - 1, Math.max(0, i + dx))]
  choose(next)
  // The focus goes along where it is on a block, or nowhere.
  const on = document.activeElement
  if (!on || on === document.body || on.matches('.run'))
    document.querySelector<HTMLElement>(`[data-run="${next?.id}"]`)?.focus({ preventScroll: true })
}

function put(place: Place | undefined) {
  if (chosen.value && place && !move.isPending.value) move.mutate({ id: chosen.value.id, ...place })
}
const shift = (by: number) => put(floor.value && chosen.value && shifted(floor.value, chosen.value, by))
const cross = (by: number) => put(floor.value && chosen.value && moved(floor.value, chosen.value, by))
// A run that failed is said with its reason; another takes its place.
const why = ref<string>()
const whyField = ref<{ focus(): void }>()
watch(chosenId, () => (why.value = undefined))
useUnsaved(
  () => 'the reason why a run failed',
  () => !!why.value?.trim(),
)
function askWhy() {
  why.value = ''
  void nextTick(() => whyField.value?.focus())
}
function failed() {
  if (!chosen.value || !why.value?.trim()) return
  fail.mutate({
    id: chosen.value.job_id,
    revision: chosen.value.job_revision,
    title: chosen.value.title,
    reason: why.value,
  })
  why.value = undefined
}
function stepOn() {
  if (chosen.value) advance.mutate({ id: chosen.value.job_id, revision: chosen.value.job_revision })
}

// Dragging: the block follows the pointer; where it is let go decides.
const drag = ref<{ run: RunView; x: number; y: number; dx: number; dy: number }>()
function grab(e: PointerEvent, run: RunView) {
  choose(run)
  if (!run.movable || e.button !== 0) return
  ;(e.currentTarget as HTMLElement).setPointerCapture(e.pointerId)
  drag.value = { run, x: e.clientX, y: e.clientY, dx: 0, dy: 0 }
}
function pull(e: PointerEvent) {
  if (drag.value) Object.assign(drag.value, { dx: e.clientX - drag.value.x, dy: e.clientY - drag.value.y })
}
function drop(e: PointerEvent) {
  const d = drag.value
  drag.value = undefined
  if (!d || !floor.value || Math.hypot(d.dx, d.dy) < 6) return
  const row = [...document.querySelectorAll<HTMLElement>('.lane')].find((l) => {
    const b = l.getBoundingClientRect()
    return e.clientY >= b.top && e.clientY < b.bottom
  })
  const lane = floor.value.lanes.find((l) => String(l.machine_id) === row?.dataset.machine)
  const track = row?.querySelector('.track')?.getBoundingClientRect()
  if (!lane || !track) return
  put(placeAt(lane, d.run, from.value + ((e.clientX - track.left) / perHour.value) * hour))
}

const nowX = computed(() => (floor.value ? at(floor.value.now) : 0))
let placed = false
function toNow() {
  if (placed || !floor.value || !scroller.value) return
  placed = true
  scroller.value.scrollLeft = Math.max(0, nowX.value - 160)
}
watch(floor, toNow, { flush: 'post' })
onMounted(toNow)

useKeys('Floor', [
  { key: 'ArrowRight', does: 'Next block', run: () => walk(1, 0) },
  { key: 'ArrowLeft', does: 'Block before', run: () => walk(-1, 0) },
  { key: 'ArrowDown', does: 'Lane below', run: () => walk(0, 1) },
  { key: 'ArrowUp', does: 'Lane above', run: () => walk(0, -1) },
  { key: 'Shift+ArrowLeft', does: 'Move the block earlier', run: () => shift(-1) },
  { key: 'Shift+ArrowRight', does: 'Move the block later', run: () => shift(1) },
  { key: 'Shift+ArrowUp', does: 'Move it to the machine above', run: () => cross(-1) },
  { key: 'Shift+ArrowDown', does: 'Move it to the machine below', run: () => cross(1) },
  { key: 's', does: 'It has been started, or is off the machine', run: stepOn, when: () => !!chosen.value },
  { key: 'f', does: 'It failed: say why', run: askWhy, when: () => !!chosen.value && !chosen.value.movable },
  {
    key: 'b',
    does: 'Open its job on the bench',
    run: () => void router.push(`/bench/${chosen.value?.job_id}`),
    when: () => !!chosen.value,
  },
  { key: 'z', does: 'More or fewer hours in view', run: () => (scale.value = (scale.value + 1) % scales.length) },
])
</script>

<template>
  <div class="floor">
    <header>
      <h1>Floor</h1>
      <p class="quiet small">Hatched: closed, nobody to start a run. A run may end unattended.</p>
      <button type="button" class="zoom small" @click="scale = (scale + 1) % scales.length">
        {{ perHour > 40 ? 'a day in view' : perHour > 20 ? 'a day and a half in view' : 'three days in view' }}
        <kbd>Z</kbd>
      </button>
    </header>
    <RoomState v-if="!floor" :data="undefined" :error="query.error.value" what="the floor" @again="query.refetch()" />
    <div v-show="floor" ref="scroller" class="scroller" tabindex="0" role="region" aria-label="Lanes">
      <div class="axis" :style="{ width: width + 186 + 'px' }">
        <div class="corner" />
        <div class="track">
          <span v-for="t in ticks" :key="t.left" class="tick num" :style="{ left: t.left + 'px' }"
            ><b v-if="t.day">{{ t.day }}</b
            ><br />{{ t.text }}</span
          >
        </div>
      </div>
      <div
        v-for="l in floor?.lanes"
        :key="l.machine_id"
        class="lane"
        role="group"
        :aria-label="l.name"
        :data-machine="l.machine_id"
        :style="{ width: width + 186 + 'px' }"
      >
        <div class="name" :class="{ off: !l.in_service }">
          <strong>{{ l.name }}</strong>
          <span class="small"><span class="dot" :style="{ background: l.colour }" /> {{ l.loaded }}</span>
          <span class="small quiet num">{{ l.size }}</span>
          <span class="small quiet">{{
            l.in_service ? (l.free ? `free ${f.moment(l.free)}` : 'no open hour ahead') : 'not yet in service'
          }}</span>
        </div>
        <div class="track">
          <div
            v-for="c in closed"
            :key="c.left"
            class="closed"
            :style="{ left: c.left + 'px', width: c.width + 'px' }"
          />
          <div class="now" :style="{ left: nowX + 'px' }" />
          <template v-for="r in l.runs" :key="r.id">
            <button
              v-if="r.start && r.finish"
              type="button"
              :class="['run', r.state, { chosen: r.id === chosen?.id, late: r.late, held: drag?.run.id === r.id }]"
              :data-job="r.job_id"
              :data-run="r.id"
              :tabindex="r.id === (chosen?.id ?? all[0]?.id) ? 0 : -1"
              :aria-pressed="r.id === chosen?.id"
              :style="{
                left: at(r.start) + 'px',
                width: Math.max(26, at(r.finish) - at(r.start) - 2) + 'px',
                '--filament': r.colour,
                transform: drag?.run.id === r.id ? `translate(${drag.dx}px, ${drag.dy}px)` : undefined,
              }"
              :title="`${r.title}, ${f.moment(r.start)} to ${f.moment(r.finish)}`"
              @pointerdown="grab($event, r)"
              @pointermove="pull"
              @pointerup="drop"
              @focus="choose(r)"
            >
              <span class="t">{{ named(r) }}</span>
              <span class="small num">{{ f.clock(r.start) }}–{{ f.clock(r.finish) }}</span>
              <span class="small">{{ r.state === 'printing' ? '▶ printing' : r.late ? '⚑ late' : r.member }}</span>
            </button>
          </template>
          <p v-if="l.in_service && !l.runs.length" class="quiet none" :style="{ left: nowX + 14 + 'px' }">
            Nothing queued.
          </p>
        </div>
      </div>
    </div>
    <aside v-if="floor" class="detail" aria-label="The chosen run" aria-live="polite">
      <template v-if="chosen">
        <div>
          <strong>{{ chosen.title }}</strong>
          <span v-if="chosen.plates && chosen.plates > 1">plate {{ chosen.plate }} of {{ chosen.plates }}, </span
          ><span class="quiet">{{ chosen.member }}, {{ chosen.recipe }}</span
          ><br />
          <span class="num"
            ><span id="run-start">{{ f.moment(chosen.start) }}</span> →
            <span id="run-finish">{{ f.moment(chosen.finish) }}</span> · {{ f.duration(chosen.seconds) }} ·
            {{ f.grams(chosen.grams) }} · {{ f.money(chosen.price_cents) }}</span
          >
          <span v-if="chosen.unsliced" class="lateword"> · to be sliced before the start</span>
          <span v-if="chosen.needed_by" :class="{ lateword: chosen.late }">
            · needed by {{ f.day(chosen.needed_by) }}{{ chosen.late ? ', late' : '' }}</span
          >
        </div>
        <div class="acts">
          <template v-if="chosen.movable">
            <v-btn size="small" @click="shift(-1)">Earlier</v-btn>
            <v-btn size="small" @click="shift(1)">Later</v-btn>
            <v-btn
              v-for="l in others"
              :key="l.machine_id"
              size="small"
              variant="text"
              @click="put({ machine_id: l.machine_id, place: 9999 })"
              >To {{ l.name }}</v-btn
            >
          </template>
          <v-btn size="small" @click="stepOn"
            >{{ chosen.movable ? 'It has been started' : 'It is off the machine' }} <kbd class="on">S</kbd></v-btn
          >
          <v-btn v-if="!chosen.movable" id="failed" size="small" @click="askWhy"
            >It failed <kbd class="on">F</kbd></v-btn
          >
          <v-btn
            v-if="!chosen.unsliced"
            id="run-gcode"
            size="small"
            variant="text"
            :href="`/api/runs/${chosen.id}/gcode`"
            >G-code</v-btn
          >
          <v-btn size="small" variant="text" :to="`/bench/${chosen.job_id}`">Bench <kbd class="on">B</kbd></v-btn>
        </div>
      </template>
      <form v-if="chosen && why !== undefined" class="failure" @submit.prevent="failed">
        <v-text-field
          ref="whyField"
          v-model="why"
          label="What went wrong"
          density="compact"
          hide-details
          maxlength="2000"
          @keydown.esc.stop="why = undefined"
        />
        <v-btn type="submit" color="error" size="small" :disabled="!why.trim()">Plan it again</v-btn>
      </form>
      <p v-if="!chosen" class="quiet">
        Choose a block with a click or the arrow keys. Drag it, or move it with <kbd>Shift</kbd> and the arrows.
      </p>
    </aside>
  </div>
</template>

<style scoped>
.floor {
  display: flex;
  flex-direction: column;
  min-height: calc(100vh - 54px);
}
header {
  display: flex;
  gap: 18px;
  align-items: baseline;
  padding: 12px 18px 8px;
}
.zoom {
  margin-left: auto;
  color: var(--ink);
}
.scroller {
  overflow-x: auto;
  flex: 1;
  outline: none;
  border-top: 1px solid var(--rule);
}
.axis,
.lane {
  display: grid;
  grid-template-columns: 186px 1fr;
}
.lane {
  border-bottom: 1.5px solid var(--rule);
  min-height: 106px;
}
.corner,
.name {
  position: sticky;
  left: 0;
  z-index: 4;
  background: var(--paper);
  border-right: 2px solid var(--ink);
}
.name {
  display: flex;
  flex-direction: column;
  justify-content: center;
  gap: 1px;
  padding: 6px 10px 6px 18px;
  line-height: 1.25;
}
.name strong {
  font-family: var(--font-head);
  font-size: 1.08rem;
}
.off {
  color: var(--quiet);
}
.dot {
  display: inline-block;
  width: 10px;
  height: 10px;
  border-radius: 50%;
  border: 1px solid var(--ink);
}
.track {
  position: relative;
}
.axis .track {
  height: 44px;
}
.tick {
  position: absolute;
  top: 2px;
  font-size: 0.8rem;
  line-height: 1.25;
  border-left: 1px solid var(--rule);
  padding-left: 4px;
  height: 42px;
  display: flex;
  flex-direction: column;
  justify-content: flex-end;
}
.tick br {
  display: none;
}
.tick b {
  font-family: var(--font-text);
}
.closed {
  position: absolute;
  top: 0;
  bottom: 0;
  background: repeating-linear-gradient(
    -45deg,
    transparent 0 7px,
    color-mix(in srgb, var(--ink) 13%, transparent) 7px 8px
  );
}
.now {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 0;
  border-left: 2px dashed var(--attention);
  z-index: 2;
}
.run {
  position: absolute;
  top: 12px;
  bottom: 12px;
  z-index: 3;
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  justify-content: center;
  padding: 2px 6px 2px 13px;
  overflow: hidden;
  container-type: inline-size;
  text-align: left;
  line-height: 1.2;
  white-space: nowrap;
  color: var(--ink);
  background: var(--card);
  border: 1.5px solid var(--ink);
  border-radius: 3px;
  cursor: grab;
  touch-action: none;
}
.run::before {
  content: '';
  position: absolute;
  left: 0;
  top: 0;
  bottom: 0;
  width: 8px;
  background: var(--filament);
  border-right: 1.5px solid var(--ink);
}
.run.printing {
  cursor: default;
  background: color-mix(in srgb, var(--accent) 16%, var(--card));
}
.run.chosen {
  box-shadow: 0 0 0 2.5px var(--accent);
  z-index: 5;
}
.run.late {
  border-color: var(--stop);
}
.run.held {
  cursor: grabbing;
  opacity: 0.85;
  z-index: 9;
}
.t {
  font-weight: 650;
  max-width: 100%;
  max-height: 3.6em;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: normal;
}
/* A block too short for its times says them below, when it is chosen. */
@container (max-width: 88px) {
  .run .small {
    display: none;
  }
}
@container (max-width: 48px) {
  .run .t {
    writing-mode: vertical-rl;
    white-space: nowrap;
    max-height: 74px;
  }
}

.none {
  position: absolute;
  top: 40%;
}
.detail {
  position: sticky;
  bottom: 0;
  z-index: 6;
  display: flex;
  flex-wrap: wrap;
  gap: 8px 20px;
  align-items: center;
  justify-content: space-between;
  padding: 10px 18px;
  min-height: 66px;
  background: var(--card);
  border-top: 2px solid var(--ink);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.failure {
  display: flex;
  flex: 1 1 100%;
  gap: 10px;
  align-items: center;
}
.lateword {
  color: var(--stop);
  font-weight: 600;
}
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 6px;
}
@media (max-width: 760px) {
  header {
    flex-wrap: wrap;
    gap: 4px 12px;
  }
}
</style>
