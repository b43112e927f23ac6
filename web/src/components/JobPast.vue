<script setup lang="ts">
import type { JobView } from '../api/client'
import { useFormats } from '../composables/format'

/** A job's runs and its history. */
defineProps<{ job: JobView; desk: boolean }>()
const f = useFormats()
</script>

<template>
  <div>
    <section v-if="job.runs.length">
      <h2>Runs</h2>
      <ul class="runs small">
        <li v-for="r in job.runs" :key="r.id">
          <span>{{ r.plates && r.plates > 1 ? `Plate ${r.plate} of ${r.plates}` : 'Its plate' }}, {{ r.state }}</span>
          <span class="num">{{ f.duration(r.seconds) }}</span><span class="num">{{ f.grams(r.grams) }}</span
          ><span class="num">{{ f.money(r.price_cents) }}</span>
          <span v-if="r.unsliced" class="stale">▲ to be sliced before the start</span>
          <a v-else-if="desk" :href="`/api/runs/${r.id}/gcode`">G-code</a>
        </li>
      </ul>
    </section>
    <section aria-label="History">
      <h2>History</h2>
      <ol>
        <li v-for="(h, i) in job.history" :key="i">
          <span class="num small">{{ f.moment(h.at) }}</span> {{ h.who || 'Job Shelf' }}: {{ h.what
          }}<template v-if="h.why">. {{ h.why }}</template>
        </li>
      </ol>
    </section>
  </div>
</template>

<style scoped>
h2 {
  margin: 0 0 4px;
}
section + section h2 {
  margin-top: 16px;
}
.runs {
  list-style: none;
  padding: 0;
}
.runs li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
}
.runs li span:first-child {
  flex: 1;
}
.stale {
  color: var(--attention-words);
}
ol {
  list-style: none;
  padding: 0;
  font-size: 0.92rem;
}
</style>
