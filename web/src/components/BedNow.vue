<script setup lang="ts">
import { computed } from 'vue'
import type { MachineNow, RunCourse } from '../api/client'

/** A machine's bed from above, with the copies as they lie there; each can be said to have come out bad. */
const props = defineProps<{
  volume: MachineNow['volume']
  run: RunCourse | undefined
  colour: string
  choosing: boolean
}>()
const bad = defineModel<number[]>('bad', { required: true })

const round = computed(() => props.volume.shape === 'round')
const w = computed(() => props.volume.x_mm)
const d = computed(() => props.volume.y_mm)
const x0 = computed(() => (round.value ? -w.value / 2 : 0))
const y0 = computed(() => (round.value ? -d.value / 2 : 0))
const path = (p: number[][]) =>
  p.map(([x, y], i) => `${i ? 'L' : 'M'}${x} ${2 * y0.value + d.value - y!}`).join('') + 'Z'
const middle = (p: number[][]) => {
  const at = (k: number) => p.reduce((s, q) => s + q[k]!, 0) / p.length
  return [at(0), 2 * y0.value + d.value - at(1)] as const
}
function turn(n: number) {
  if (props.choosing)
    bad.value = bad.value.includes(n) ? bad.value.filter((x) => x !== n) : [...bad.value, n].sort((a, b) => a - b)
}
const named = (c: RunCourse['copies'][number]) => `${c.of}, copy ${c.copy}`
</script>

<template>
  <svg
    :viewBox="`${x0 - 4} ${y0 - 4} ${w + 8} ${d + 8}`"
    class="bed"
    :role="choosing ? 'group' : 'img'"
    aria-label="The bed from above, its front below"
  >
    <ellipse v-if="round" class="plate" cx="0" cy="0" :rx="w / 2" :ry="d / 2" />
    <rect v-else class="plate" :x="x0" :y="y0" :width="w" :height="d" />
    <g
      v-for="c in run?.copies ?? []"
      :key="c.n"
      :class="['copy', { bad: bad.includes(c.n), choosing }]"
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
  </svg>
</template>

<style scoped>
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
