<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { JobView, LadderRow } from '../api/client'
import { useFormats } from '../composables/format'

/** What a job takes on a machine, in one line, and what the last change changed of it. */
const props = defineProps<{ job: JobView; row: LadderRow | undefined }>()
const f = useFormats()

interface Figures {
  /** What somebody chose: the machine, and how many of which model stand how. */
  of: string
  job: number
  slice: number | undefined
  seconds: number
  grams: number
  cents: number
}
const figures = computed<Figures | undefined>(() => {
  const r = props.row
  if (!r?.seconds || props.job.check.state !== 'done') return undefined
  const pieces = props.job.piece_set.map((p) => [p.id, p.current, p.copies, p.unit, p.orientation?.stand])
  return {
    of: JSON.stringify([r.machine_id, pieces]),
    job: props.job.id,
    slice: r.slice_id || undefined,
    seconds: r.seconds,
    grams: r.grams ?? 0,
    cents: r.price_cents ?? 0,
  }
})
const last = ref<Figures>()
const before = ref<Figures>()
// An estimate that gives way to the layers is no change of anybody's.
watch(
  figures,
  (now) => {
    if (!now) return // being worked out anew
    const was = last.value
    last.value = now
    if (was?.job !== now.job) before.value = undefined
    else if (was.of !== now.of || (was.slice && now.slice && was.slice !== now.slice)) before.value = was
  },
  { immediate: true },
)
const signed = (v: number, text: string) => (v < 0 ? '−' : '+') + text
const changed = computed(() => {
  const a = before.value
  const b = figures.value
  if (!a || !b || a.job !== b.job) return []
  const s = Math.round((b.seconds - a.seconds) / 60)
  const g = b.grams - a.grams
  const c = b.cents - a.cents
  return [
    s ? signed(s, f.value.duration(Math.abs(s) * 60)) : '',
    Math.abs(g) >= 0.05 ? signed(g, f.value.grams(Math.abs(g))) : '',
    c ? signed(c, f.value.money(Math.abs(c))) : '',
  ].filter(Boolean)
})
</script>

<template>
  <section class="answer" aria-label="The answer">
    <template v-if="row">
      <strong>{{ row.name }}</strong>
      <span v-if="!row.fits" class="no"
        >▲ too large<template v-if="row.scale_to_fit < 1"
          >; fits at <span class="num">{{ f.number(Math.floor(row.scale_to_fit * 1000) / 10, 1) }} %</span></template
        ></span
      >
      <template v-else-if="row.seconds">
        <span v-if="row.plates"
          ><span class="num">{{ row.plates }}</span> {{ row.plates === 1 ? 'plate' : 'plates' }}</span
        >
        <span class="num">{{ f.duration(row.seconds) }}</span>
        <span class="num">{{ f.grams(row.grams) }}</span>
        <span class="num">{{ f.money(row.price_cents) }}</span>
        <span v-if="row.finish" class="num">done {{ f.soon(row.finish) }}</span>
        <span class="quiet">{{ row.full ? 'from the layers' : 'quick estimate' }}</span>
      </template>
      <span v-else class="quiet">no recipe for this purpose</span>
    </template>
    <span v-if="changed.length" class="changed num" aria-live="polite">{{ changed.join(', ') }}</span>
    <span class="spring" />
    <slot />
  </section>
</template>

<style scoped>
.answer {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  align-items: center;
  padding: 8px 18px;
  border-top: 2px solid var(--ink);
  background: var(--card);
  min-height: 52px;
}
.spring {
  flex: 1;
}
.no {
  color: var(--attention-words);
}
.changed {
  border: 1px solid var(--accent);
  border-radius: 3px;
  padding: 0 8px;
}
</style>
