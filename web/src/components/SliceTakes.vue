<script setup lang="ts">
import { computed } from 'vue'
import type { JobView, SliceView } from '../api/client'
import { useFormats } from '../composables/format'
import { more } from './variants'

const props = defineProps<{ job: JobView; slice: SliceView; compared: SliceView | undefined; plate: number }>()
const f = useFormats()
const full = computed(() => props.slice.full!)
const warming = 'warm-up'
const byKind = computed(() =>
  [...Object.entries(full.value.seconds_by_kind), [warming, full.value.warm_up_seconds] as const].sort(
    (a, b) => b[1] - a[1],
  ),
)
const secondsOf = (v: SliceView, kind: string) =>
  (kind === warming ? v.full?.warm_up_seconds : v.full?.seconds_by_kind[kind]) ?? 0
const portions = computed(() =>
  (
    [
      ['support', full.value.grams_support, full.value.support_cm3],
      ['purge', full.value.grams_purge, 0],
      ['bed adhesion', full.value.grams_adhesion, 0],
    ] as const
  ).filter(([, g]) => g),
)
const spots = computed(() => props.slice.plates.find((p) => p.n === props.plate)?.spots ?? [])
</script>

<template>
  <table class="ledger small kinds">
    <tbody>
      <tr v-for="[kind, sec] in byKind" :key="kind">
        <td>{{ kind }}</td>
        <td class="right num">{{ f.duration(sec) }}</td>
        <td class="right num">{{ f.number((100 * sec) / full.seconds) }} %</td>
        <td v-if="compared?.full" class="right num">{{ more.time(secondsOf(compared, kind) - sec, f) }}</td>
      </tr>
      <tr>
        <td><strong>together</strong></td>
        <td class="right num">
          <strong>{{ f.duration(full.seconds) }}</strong>
        </td>
        <td class="right num">{{ f.grams(full.grams) }}</td>
        <td v-if="compared?.full" class="right num">
          {{ more.time(compared.full.seconds - full.seconds, f) }},
          {{ more.grams(compared.full.grams - full.grams, f) }}
        </td>
      </tr>
      <tr v-for="[what, g, cm3] in portions" :key="what">
        <td>of it {{ what }}</td>
        <td class="right num">{{ cm3 ? `${f.number(cm3, 1)} cm³` : '' }}</td>
        <td class="right num">{{ f.grams(g) }}</td>
        <td v-if="compared" />
      </tr>
      <template v-if="full.nozzles && full.nozzles.length > 1">
        <tr v-for="n in full.nozzles" :key="n.nozzle">
          <td>nozzle {{ n.nozzle }}, {{ n.material }}</td>
          <td class="right num">{{ f.metres(n.filament_mm / 1000) }}</td>
          <td class="right num">{{ f.grams(n.grams) }}</td>
          <td v-if="compared" />
        </tr>
      </template>
    </tbody>
  </table>
  <details v-if="spots.length > 1" class="small">
    <summary>What each copy takes</summary>
    <table class="ledger small kinds">
      <tbody>
        <tr v-for="s in spots" :key="`${s.piece_id} ${s.copy}`">
          <td>{{ job.piece_set.find((p) => p.id === s.piece_id)?.name }} {{ s.copy }}</td>
          <td class="right num">{{ f.number(s.x_mm) }}, {{ f.number(s.y_mm) }} mm</td>
          <td class="right num">{{ f.duration(s.seconds) }}</td>
          <td class="right num">{{ f.grams(s.grams) }}</td>
        </tr>
      </tbody>
    </table>
  </details>
  <p v-for="n in slice.notes" :key="n" class="small quiet">{{ n }}</p>
</template>

<style scoped>
.kinds td {
  padding: 1px 6px;
}
</style>
