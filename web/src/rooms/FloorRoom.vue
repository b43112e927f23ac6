<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { RunView } from '../api/client'
import { useFloor, useMachines, useMoveRun, type Moving } from '../api/queries'
import FloorLane from '../components/FloorLane.vue'
import RoomState from '../components/RoomState.vue'
import RunDetail from '../components/RunDetail.vue'
import { moved, placeAt, shifted, type Place } from '../components/lanes'
import { useFormats } from '../composables/format'
import { useHours } from '../composables/hours'
import { useKeys } from '../composables/keys'
import { useRoomTitle } from '../composables/title'

const f = useFormats()
const router = useRouter()
useRoomTitle('Floor')
const query = useFloor()
// Where a run would cost more than was said yes to, somebody says that it may.
const dearer = ref<{ why: string; then: Moving }>()
const move = useMoveRun((why, then) => (dearer.value = { why, then }))
function moveIt() {
  if (dearer.value) move.mutate(dearer.value.then)
  dearer.value = undefined
}
const machines = useMachines()
const doing = computed(() => new Map(machines.data.value?.map((m) => [m.machine_id, m])))
const floor = computed(() => query.data.value)

const { width, at, closed, ticks, words, zoom, moment } = useHours(
  () => floor.value,
  () => f.value,
)

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
const detail = ref<InstanceType<typeof RunDetail>>()
function openMachine() {
  if (chosen.value) void router.push(`/machine/${chosen.value.machine_id}`)
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
  put(placeAt(lane, d.run, moment(e.clientX - track.left)))
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
  { key: 's', does: 'Open its machine: start it, see it, take it off', run: openMachine, when: () => !!chosen.value },
  {
    key: 'j',
    does: 'Put what could lie there on its plate, too',
    run: () => detail.value?.putFirst(),
    when: () => !!chosen.value?.movable,
  },
  {
    key: 'Shift+j',
    does: 'Take what was put there last off its plate again',
    run: () => detail.value?.takeLastOut(),
    when: () => !!chosen.value?.movable, // where nothing is to be taken out, too, or J would put something there
  },
  {
    key: 'b',
    does: 'Open its job on the bench',
    run: () => void router.push(`/bench/${chosen.value?.job_id}`),
    when: () => !!chosen.value,
  },
  { key: 'z', does: 'More or fewer hours in view', run: zoom },
])
</script>

<template>
  <div class="floor">
    <v-dialog
      v-if="dearer"
      :model-value="true"
      width="420"
      aria-label="It costs more there"
      @update:model-value="(is: boolean) => is || (dearer = undefined)"
    >
      <div class="ask">
        <h2>It costs more there</h2>
        <p>{{ dearer.why }} Its member is told of the new price.</p>
        <div class="acts">
          <v-btn id="dearer" autofocus color="primary" variant="flat" @click="moveIt">Move it all the same</v-btn>
          <v-btn variant="text" @click="dearer = undefined">Leave it where it is</v-btn>
        </div>
      </div>
    </v-dialog>
    <header>
      <h1>Floor</h1>
      <p class="quiet small">Hatched: closed, nobody to start a run. A run may end unattended.</p>
      <button type="button" class="zoom small" @click="zoom">{{ words }} <kbd>Z</kbd></button>
    </header>
    <RoomState v-if="!floor" :data="undefined" :error="query.error.value" what="the floor" @again="query.refetch()" />
    <div v-show="floor" ref="scroller" class="scroller" tabindex="0" role="region" aria-label="Lanes">
      <div class="axis" :style="{ width: width + 186 + 'px' }">
        <div class="corner" />
        <div class="track">
          <span v-for="(t, i) in ticks" :key="t.left" class="tick num" :style="{ left: t.left + 'px' }"
            ><b v-if="t.day && !(i === 0 && ticks[1]?.day)">{{ t.day }}</b
            ><br />{{ t.text }}</span
          >
        </div>
      </div>
      <FloorLane
        v-for="l in floor?.lanes"
        :key="l.machine_id"
        :lane="l"
        :now="doing.get(l.machine_id)"
        :width="width"
        :at="at"
        :now-x="nowX"
        :closed="closed"
        :chosen="chosen"
        :first="all[0]"
        :drag="drag"
        @choose="choose"
        @grab="grab"
        @pull="pull"
        @drop="drop"
      />
    </div>
    <RunDetail
      v-if="floor"
      ref="detail"
      :run="chosen"
      :others="others"
      @shift="shift"
      @to="put({ machine_id: $event, place: 9999 })"
    />
  </div>
</template>

<style scoped>
.ask {
  display: grid;
  gap: 12px;
  padding: 20px;
  color: var(--ink);
  background: var(--card);
  border: 1.5px solid var(--ink);
  border-radius: 3px;
}
.acts {
  display: flex;
  gap: 10px;
}
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
.axis {
  display: grid;
  grid-template-columns: 186px 1fr;
}
.corner {
  position: sticky;
  left: 0;
  z-index: 4;
  background: var(--paper);
  border-right: 2px solid var(--ink);
}
.track {
  position: relative;
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
@media (max-width: 760px) {
  header {
    flex-wrap: wrap;
    gap: 4px 12px;
  }
}
</style>
