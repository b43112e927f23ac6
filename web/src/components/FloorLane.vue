<script setup lang="ts">
import type { FloorView, MachineBrief, RunView } from '../api/client'
import { useFormats } from '../composables/format'
import { titleOf } from './lanes'

defineProps<{
  lane: FloorView['lanes'][number]
  /** What it does now. */
  now?: MachineBrief
  width: number
  /** Where a moment is on the line, px. */
  at: (iso: string) => number
  nowX: number
  closed: readonly { left: number; width: number }[]
  chosen: RunView | undefined
  /** The run that Tab comes to, of all lanes. */
  first: RunView | undefined
  drag: { run: RunView; dx: number; dy: number } | undefined
}>()
const emit = defineEmits<{
  choose: [run: RunView]
  grab: [e: PointerEvent, run: RunView]
  pull: [e: PointerEvent]
  drop: [e: PointerEvent]
}>()
const f = useFormats()
/** How warm it is, and what it is to come to where it is not there yet; what is off and cold is left out. */
const warmth = (heats: { c: number; to: number }[]) =>
  heats
    .filter((h) => h.to || h.c > 40)
    .map((h) => f.value.number(h.c, 0) + (h.to && Math.abs(h.to - h.c) > 3 ? `→${f.value.number(h.to, 0)}` : ''))
    .join(' · ')
    .concat(' °C')
    .replace(/^ °C$/, 'cold')
const begun = (r: RunView) => !r.movable && r.state !== 'ready'
const named = (r: RunView) => (!r.shares && r.plates && r.plates > 1 ? `${r.title} ${r.plate}/${r.plates}` : titleOf(r))
</script>

<template>
  <div
    class="lane"
    role="group"
    :aria-label="lane.name"
    :data-machine="lane.machine_id"
    :style="{ width: width + 186 + 'px' }"
  >
    <div class="name" :class="{ off: !lane.in_service }">
      <RouterLink :to="`/machine/${lane.machine_id}`" class="open"
        ><strong>{{ lane.name }}</strong></RouterLink
      >
      <span class="small"><span class="dot" :style="{ background: lane.colour }" /> {{ lane.loaded }}</span>
      <span
        v-if="now && now.does !== 'idle'"
        class="small does"
        :class="`d-${now.does.split(' ')[0]}`"
        :title="now.says"
        >{{ now.says }}</span
      >
      <span v-if="now?.said?.heats.length" class="small quiet num">{{ warmth(now.said.heats) }}</span>
      <span v-if="!now || now.does === 'idle'" class="small quiet">{{
        lane.in_service ? (lane.free ? `free ${f.moment(lane.free)}` : 'no open hour ahead') : 'not yet in service'
      }}</span>
    </div>
    <div class="track">
      <div v-for="c in closed" :key="c.left" class="closed" :style="{ left: c.left + 'px', width: c.width + 'px' }" />
      <div class="now" :style="{ left: nowX + 'px' }" />
      <template v-for="r in lane.runs" :key="r.id">
        <button
          v-if="r.start && r.finish"
          type="button"
          :class="[
            'run',
            {
              begun: begun(r),
              ready: r.state === 'ready',
              chosen: r.id === chosen?.id,
              late: r.late,
              held: drag?.run.id === r.id,
            },
          ]"
          :data-job="r.job_id"
          :data-run="r.id"
          :tabindex="r.id === (chosen?.id ?? first?.id) ? 0 : -1"
          :aria-pressed="r.id === chosen?.id"
          :style="{
            left: at(r.start) + 'px',
            width: Math.max(26, at(r.finish) - at(r.start) - 2) + 'px',
            '--filament': r.colour,
            transform: drag?.run.id === r.id ? `translate(${drag.dx}px, ${drag.dy}px)` : undefined,
          }"
          :title="`${titleOf(r)}, ${f.moment(r.start)} to ${f.moment(r.finish)}`"
          @pointerdown="emit('grab', $event, r)"
          @pointermove="emit('pull', $event)"
          @pointerup="emit('drop', $event)"
          @focus="emit('choose', r)"
        >
          <span class="t">{{ named(r) }}</span>
          <span class="small num">{{ f.clock(r.start) }}–{{ f.clock(r.finish) }}</span>
          <span class="small">{{
            begun(r)
              ? `▶ ${r.state}`
              : r.state === 'ready'
                ? '✓ ready'
                : r.late
                  ? '⚑ late'
                  : r.shares
                    ? `${r.shares.length} jobs`
                    : r.member
          }}</span>
        </button>
      </template>
      <p v-if="lane.in_service && !lane.runs.length" class="quiet none" :style="{ left: nowX + 14 + 'px' }">
        Nothing queued.
      </p>
    </div>
  </div>
</template>

<style scoped>
.lane {
  display: grid;
  grid-template-columns: 186px 1fr;
  border-bottom: 1.5px solid var(--rule);
  min-height: 106px;
}
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
.open {
  color: inherit;
}
.does {
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
  line-height: 1.2;
}
.d-asks,
.d-to {
  color: var(--attention-words);
  font-weight: 600;
}
.d-not {
  color: var(--stop);
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
.run.begun {
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
</style>
