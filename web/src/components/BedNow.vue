<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue'
import type { MachineNow, RunCourse } from '../api/client'
import { kindColours } from './lineKinds'
import { readLayers, type PathLayer } from './pathLayers'

/** A machine's bed from above, with the copies as they lie there; each can be said to have come out bad. */
const props = defineProps<{
  volume: MachineNow['volume']
  run: RunCourse | undefined
  colour: string
  choosing: boolean
  /** Which layer is laid now, from 1; 0: none. */
  laying: number
}>()
const bad = defineModel<number[]>('bad', { required: true })

const round = computed(() => props.volume.shape === 'round')
const w = computed(() => props.volume.x_mm)
const depth = computed(() => props.volume.y_mm)
const x0 = computed(() => (round.value ? -w.value / 2 : 0))
const y0 = computed(() => (round.value ? -depth.value / 2 : 0))
const path = (p: number[][]) =>
  p.map(([x, y], i) => `${i ? 'L' : 'M'}${x} ${2 * y0.value + depth.value - y!}`).join('') + 'Z'
const middle = (p: number[][]) => {
  const at = (k: number) => p.reduce((s, q) => s + q[k]!, 0) / p.length
  return [at(0), 2 * y0.value + depth.value - at(1)] as const
}
function turn(n: number) {
  if (props.choosing)
    bad.value = bad.value.includes(n) ? bad.value.filter((x) => x !== n) : [...bad.value, n].sort((a, b) => a - b)
}
/** The lines of the layer that is laid now, by their kinds. */
const layers = shallowRef<PathLayer[]>()
watch(
  () =>
    props.laying && props.run?.slice_id
      ? `/api/slices/${props.run.slice_id}/layers?plate=${props.run.slice_plate}`
      : '',
  async (from) => {
    layers.value = undefined
    if (!from) return
    const answer = await fetch(from)
    if (answer.ok) layers.value = readLayers(await answer.arrayBuffer())
  },
  { immediate: true },
)
const lines = computed(() => {
  const by = new Map<number, string>()
  for (const l of layers.value?.[props.laying - 1]?.lines ?? []) {
    let d = ''
    for (let i = 0; i + 1 < l.points.length; i += 2)
      d += `${i ? 'L' : 'M'}${l.points[i]!.toFixed(2)} ${(2 * y0.value + depth.value - l.points[i + 1]!).toFixed(2)}`
    by.set(l.kind, (by.get(l.kind) ?? '') + d)
  }
  return [...by].map(([kind, d]) => ({ d, colour: kindColours[kind] ?? '#888888' }))
})
const named = (c: RunCourse['copies'][number]) => `${c.of}, copy ${c.copy}`
</script>

<template>
  <svg
    :viewBox="`${x0 - 4} ${y0 - 4} ${w + 8} ${depth + 8}`"
    class="bed"
    :role="choosing ? 'group' : 'img'"
    aria-label="The bed from above, its front below"
  >
    <ellipse v-if="round" class="plate" cx="0" cy="0" :rx="w / 2" :ry="depth / 2" />
    <rect v-else class="plate" :x="x0" :y="y0" :width="w" :height="depth" />
    <g
      v-for="c in run?.copies ?? []"
      :key="c.n"
      :class="['copy', { bad: bad.includes(c.n), choosing, under: lines.length }]"
      :role="choosing ? 'checkbox' : undefined"
      :aria-checked="choosing ? bad.includes(c.n) : undefined"
      :aria-label="choosing ? `${named(c)}: came out bad` : undefined"
      :tabindex="choosing ? 0 : undefined"
      @click="turn(c.n)"
      @keydown.space.prevent="turn(c.n)"
    >
      <path v-if="c.path_mm.length" :d="path(c.path_mm)" :fill="colour" />
      <text v-if="c.path_mm.length" :x="middle(c.path_mm)[0]" :y="middle(c.path_mm)[1]" :font-size="w / 22">
        {{ bad.includes(c.n) ? '✗' : c.n + 1 }}
      </text>
      <title>{{ named(c) }}</title>
    </g>
    <path v-for="(l, k) in lines" :key="k" class="laid" :d="l.d" :stroke="l.colour" />
  </svg>
</template>

<style scoped>
.laid {
  fill: none;
  stroke-width: 0.45;
  pointer-events: none;
}
.bed {
  width: 100%;
  max-height: 300px;
  display: block;
}
.plate {
  fill: var(--card);
  stroke: var(--ink);
  stroke-width: 1.5;
}
.copy path {
  fill-opacity: 0.55;
  stroke: var(--ink);
  stroke-width: 1;
}
.copy text {
  text-anchor: middle;
  dominant-baseline: central;
  font-family: var(--font-number);
  font-weight: 700;
  fill: var(--ink);
  paint-order: stroke;
  stroke: var(--card);
  stroke-width: 2px;
}
.under path {
  fill-opacity: 0.12;
}
.choosing {
  cursor: pointer;
}
.bad path {
  stroke: var(--stop);
  stroke-width: 3;
  stroke-dasharray: 6 3;
}
.bad text {
  fill: var(--stop);
}
</style>
