<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useTheme } from 'vuetify'
import type { LayerTime } from '../api/client'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'

const props = defineProps<{
  strip: readonly LayerTime[]
  /** Heights at which something was found, mm. */
  found?: readonly number[]
}>()
const at = defineModel<number>({ required: true })
const f = useFormats()
const theme = useTheme()
const modes = ['time', 'grams', 'support'] as const
const mode = ref<(typeof modes)[number]>('time')
const canvas = ref<HTMLCanvasElement>()

const value = (l: LayerTime) => (mode.value === 'time' ? l.seconds : mode.value === 'grams' ? l.grams : l.support_grams)
const most = computed(() => Math.max(1e-9, ...props.strip.map(value)))
// A shorter slice may come while a layer is looked at that it does not have.
const index = computed(() => Math.min(at.value, props.strip.length - 1))
const here = computed(() => props.strip[index.value])
const supportEnds = computed(() => props.strip.findLastIndex((l) => l.support_grams > 0))
const slowest = computed(() =>
  props.strip.reduce((best, l, i) => (l.seconds > props.strip[best]!.seconds ? i : best), 0),
)
const go = (to: number) => (at.value = Math.min(props.strip.length - 1, Math.max(0, to)))

function draw() {
  const c = canvas.value
  if (!c || !props.strip.length) return
  const ratio = devicePixelRatio
  c.width = c.clientWidth * ratio
  c.height = c.clientHeight * ratio
  const g = c.getContext('2d')!
  g.scale(ratio, ratio)
  const css = getComputedStyle(c)
  const [w, h] = [c.clientWidth, c.clientHeight]
  const top = props.strip[props.strip.length - 1]!.top_mm
  const x = (i: number) => (i / props.strip.length) * (w - 2) + 1
  g.clearRect(0, 0, w, h)
  props.strip.forEach((l, i) => {
    g.fillStyle = css.getPropertyValue(i === index.value ? '--attention' : '--accent')
    g.globalAlpha = i <= index.value ? 1 : 0.4
    const tall = (value(l) / most.value) * (h - 20)
    g.fillRect(x(i), h - 16 - tall, Math.max(1, x(i + 1) - x(i) - (w / props.strip.length > 4 ? 1 : 0)), tall)
  })
  g.globalAlpha = 1
  g.fillStyle = css.getPropertyValue('--attention')
  for (const i of new Set(props.found?.map((mm) => props.strip.findIndex((l) => l.top_mm >= mm - 1e-3)))) {
    if (i < 0) continue
    const mid = (x(i) + x(i + 1)) / 2
    g.beginPath()
    g.moveTo(mid - 4, 0)
    g.lineTo(mid + 4, 0)
    g.lineTo(mid, 7)
    g.fill()
  }
  g.fillStyle = css.getPropertyValue('--ink')
  g.font = `11px ${css.getPropertyValue('--font-number')}`
  const step = [0.5, 1, 2, 5, 10, 20, 50, 100].find((s) => top / s <= 9) ?? 200
  // Layers stand side by side as on the slider; a height is written where its layer begins.
  for (let mm = 0, i = 0; ; mm += step) {
    while (i < props.strip.length && props.strip[i]!.top_mm <= mm) i++
    if (i >= props.strip.length || x(i) >= w - 84) break
    g.fillText(`${mm}`, x(i), h - 3)
  }
  g.textAlign = 'right'
  g.fillText(`${f.value.number(top, 1)} mm`, w - 1, h - 3)
  const p = x(index.value + 1)
  g.fillRect(Math.min(w - 2, p - 1), 0, 2, h - 15)
}

function pull(e: PointerEvent) {
  if (!(e.buttons & 1) || !props.strip.length) return
  const box = canvas.value!.getBoundingClientRect()
  go(Math.floor(((e.clientX - box.left) / box.width) * props.strip.length))
}
function grab(e: PointerEvent) {
  canvas.value!.setPointerCapture(e.pointerId)
  pull(e)
}

useResizeObserver(canvas, draw)
watch([() => props.strip, () => props.found, index, mode, () => theme.global.name.value], draw, { flush: 'post' })

useKeys('Layers', [
  { key: 'ArrowUp', does: 'One layer up', run: () => go(index.value + 1) },
  { key: 'ArrowDown', does: 'One layer down', run: () => go(index.value - 1) },
  { key: 'PageUp', does: 'Ten layers up', run: () => go(index.value + 10) },
  { key: 'PageDown', does: 'Ten layers down', run: () => go(index.value - 10) },
  { key: 'Home', does: 'First layer', run: () => go(0) },
  { key: 'End', does: 'Last layer', run: () => go(props.strip.length - 1) },
  { key: 'u', does: 'Where support ends', run: () => go(supportEnds.value), when: () => supportEnds.value >= 0 },
  { key: 'w', does: 'The slowest layer', run: () => go(slowest.value) },
])
</script>

<template>
  <div class="strip">
    <div class="head small">
      <strong
        >Layer <span id="layer-number" class="num">{{ index + 1 }}</span> of
        <span class="num">{{ strip.length }}</span></strong
      >
      <span v-if="here" class="num"
        >top {{ f.number(here.top_mm, 2) }} mm · {{ f.number(here.seconds, 1) }} s ·
        {{ f.number(here.grams, 2) }} g</span
      >
      <span class="jumps">
        <button type="button" @click="go(0)">first <kbd>Home</kbd></button>
        <button v-if="supportEnds >= 0" type="button" @click="go(supportEnds)">support ends <kbd>U</kbd></button>
        <button type="button" @click="go(slowest)">slowest <kbd>W</kbd></button>
        <select v-model="mode" aria-label="What the strip shows">
          <option v-for="m in modes" :key="m" :value="m">{{ m }} per layer</option>
        </select>
      </span>
    </div>
    <canvas ref="canvas" aria-hidden="true" @pointerdown="grab" @pointermove="pull" />
    <v-slider
      :model-value="index + 1"
      class="slider"
      :min="1"
      :max="Math.max(1, strip.length)"
      :step="1"
      color="primary"
      track-size="2"
      thumb-size="14"
      hide-details
      aria-label="Layer"
      :value-format="
        ({ value: n }: { value: number }) =>
          `Layer ${n} of ${strip.length}, top at ${f.number(strip[n - 1]?.top_mm ?? 0, 2)} mm`
      "
      @update:model-value="(n: number) => go(n - 1)"
    />
  </div>
</template>

<style scoped>
.strip {
  border-top: 1px solid var(--rule);
  padding: 4px 10px 6px;
  display: grid;
  gap: 3px;
  background: var(--card);
}
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: center;
}
.jumps {
  margin-left: auto;
  display: flex;
  gap: 10px;
  align-items: center;
}
.jumps button {
  text-decoration: underline;
  text-underline-offset: 3px;
}
canvas {
  width: 100%;
  height: 68px;
  cursor: ew-resize;
  touch-action: none;
}
.slider {
  margin: -6px -7px -4px;
}
select {
  border: 1px solid var(--rule);
  border-radius: 3px;
  background: var(--card);
  color: var(--ink);
}
</style>
