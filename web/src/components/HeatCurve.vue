<script setup lang="ts">
import { computed } from 'vue'
import type { HeatCurve, MachineSaid } from '../api/client'
import { useFormats } from '../composables/format'

/** How warm a machine is and was: a line for each of its heaters, dashed where it is to come to. */
const props = defineProps<{ curve: HeatCurve | undefined; heats: MachineSaid['heats'] }>()
const f = useFormats()
const W = 360
const H = 150
const dashes = ['', '7 3', '2 3', '9 3 2 3']

const from = computed(() => Date.parse(props.curve?.at[0] ?? ''))
const to = computed(() => Date.parse(props.curve?.at.at(-1) ?? ''))
const most = computed(() => {
  const all = [...(props.curve?.c.flat() ?? []), ...props.heats.flatMap((h) => [h.c, h.to])]
  return Math.max(50, Math.ceil(Math.max(...all, 0) / 50) * 50)
})
const y = (c: number) => H - (H * c) / most.value
const lines = computed(() =>
  (props.curve?.of ?? []).map((of, k) => {
    const c = props.curve!
    const span = Math.max(1, to.value - from.value)
    const d = c.at.map(
      (at, i) =>
        `${i ? 'L' : 'M'}${((W * (Date.parse(at) - from.value)) / span).toFixed(1)} ${y(c.c[i]![k]!).toFixed(1)}`,
    )
    return { of, d: d.join(''), dash: dashes[k % dashes.length], to: props.heats.find((h) => h.of === of)?.to ?? 0 }
  }),
)
const ticks = computed(() => [0, most.value / 2, most.value])
const words = computed(() =>
  props.heats
    .map((h) => `${h.of} ${f.value.number(h.c, 0)} °C${h.to ? `, to ${f.value.number(h.to, 0)}` : ', off'}`)
    .join('; '),
)
</script>

<template>
  <figure class="heat" aria-label="How warm it is">
    <dl>
      <div v-for="(h, k) in heats" :key="h.of">
        <dt>
          <svg width="26" height="8" aria-hidden="true">
            <line x1="0" y1="4" x2="26" y2="4" :class="`k${k}`" :stroke-dasharray="dashes[k % dashes.length]" />
          </svg>
          {{ h.of }}
        </dt>
        <dd class="num">
          <b>{{ f.number(h.c, 0) }} °C</b> {{ h.to ? `→ ${f.number(h.to, 0)}` : 'off' }}
        </dd>
      </div>
    </dl>
    <svg v-if="curve && curve.at.length > 1" :viewBox="`-34 -8 ${W + 40} ${H + 26}`" role="img" :aria-label="words">
      <g v-for="t in ticks" :key="t">
        <line class="tick" x1="0" :x2="W" :y1="y(t)" :y2="y(t)" />
        <text x="-6" :y="y(t) + 4" text-anchor="end">{{ t }}</text>
      </g>
      <template v-for="(l, k) in lines" :key="l.of">
        <line v-if="l.to" :class="['aim', `k${k}`]" x1="0" :x2="W" :y1="y(l.to)" :y2="y(l.to)" />
        <path :d="l.d" :class="`k${k}`" :stroke-dasharray="l.dash" />
      </template>
      <text x="0" :y="H + 16">{{ f.clock(curve.at[0]!) }}</text>
      <text :x="W" :y="H + 16" text-anchor="end">{{ f.clock(curve.at.at(-1)!) }}</text>
    </svg>
  </figure>
</template>

<style scoped>
dl {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
}
dl div {
  display: flex;
  gap: 8px;
}
dt {
  display: flex;
  gap: 5px;
  align-items: center;
}
svg {
  width: 100%;
  max-width: 460px;
  overflow: visible;
}
dt svg {
  width: 26px;
}
path,
dt line {
  fill: none;
  stroke-width: 2.2;
}
.k0 {
  stroke: var(--stop);
}
.k1 {
  stroke: var(--accent);
}
.k2 {
  stroke: var(--ink);
}
.k3 {
  stroke: var(--quiet);
}
.aim {
  stroke-width: 1;
  opacity: 0.55;
}
.tick {
  stroke: var(--rule);
}
text {
  font: 11px var(--font-number);
  fill: var(--quiet);
}
</style>
