<script setup lang="ts">
import { computed } from 'vue'
import { useBed, useRenewBed, useTurnBed } from '../api/queries'
import { useFormats } from '../composables/format'

/** Where a machine's bed is worn, as one looks at it from the front. */
const props = defineProps<{ machineId: number; round: boolean; mayTurn: boolean }>()
const f = useFormats()
const query = useBed(() => props.machineId)
const turn = useTurnBed()
const renew = useRenewBed()

const bed = computed(() => query.data.value)
const most = computed(() => Math.max(0, ...(bed.value?.hours ?? [])))
const cells = computed(() => {
  const b = bed.value
  if (!b) return []
  return b.hours.flatMap((hours, k) =>
    hours > 0
      ? [
          {
            k,
            hours,
            x: k % b.wide,
            y: b.deep - 1 - Math.floor(k / b.wide), // its front is below
            share: hours / most.value,
            worn: !!b.worn_hours && hours >= b.worn_hours,
          },
        ]
      : [],
  )
})
const worn = computed(() => cells.value.filter((c) => c.worn).length)
const hours = (h: number) => `${f.value.number(h, h < 10 ? 1 : 0)} h`
const words = computed(() => {
  const b = bed.value
  if (!b || !most.value) return 'Nothing has lain on it.'
  const spots = worn.value ? `; ${worn.value} cm² are kept free, from ${hours(b.worn_hours ?? 0)} on` : ''
  return `${b.runs} ${b.runs === 1 ? 'run' : 'runs'} since ${f.value.dayOf(b.since!)}, up to ${hours(most.value)} on one spot${spots}.`
})
const busy = computed(() => turn.isPending.value || renew.isPending.value)
const at = () => ({ id: props.machineId, revision: bed.value!.revision, name: bed.value!.machine })
</script>

<template>
  <section v-if="bed" class="bed" aria-label="Bed">
    <h2>Bed</h2>
    <div class="beside">
      <svg
        :viewBox="`0 0 ${bed.wide} ${bed.deep}`"
        role="img"
        :aria-label="`The bed of ${bed.machine} from above. ${words}`"
      >
        <ellipse
          v-if="round"
          class="plate"
          :cx="bed.wide / 2"
          :cy="bed.deep / 2"
          :rx="bed.wide / 2"
          :ry="bed.deep / 2"
        />
        <rect v-else class="plate" x="0" y="0" :width="bed.wide" :height="bed.deep" />
        <rect
          v-for="c in cells"
          :key="c.k"
          :class="{ cell: true, worn: c.worn }"
          :x="c.x"
          :y="c.y"
          width="1"
          height="1"
          :fill-opacity="0.12 + 0.88 * c.share"
        >
          <title>{{ hours(c.hours) }}</title>
        </rect>
      </svg>
      <div class="small">
        <p>{{ words }}</p>
        <p class="quiet">Below is the front.</p>
        <p v-if="mayTurn && most" class="acts">
          <button
            v-if="bed.wide === bed.deep"
            type="button"
            :disabled="busy"
            @click="turn.mutate({ ...at(), quarters: 1 })"
          >
            turned a quarter left
          </button>
          <button type="button" :disabled="busy" @click="turn.mutate({ ...at(), quarters: 2 })">turned by half</button>
          <button type="button" :disabled="busy" @click="renew.mutate(at())">a new bed</button>
        </p>
      </div>
    </div>
  </section>
</template>

<style scoped>
.bed {
  margin-top: 18px;
}
h2 {
  font-size: 0.95rem;
}
.beside {
  display: flex;
  gap: 16px;
  align-items: flex-start;
}
svg {
  width: 200px;
  flex: none;
}
.plate {
  fill: var(--card);
  stroke: var(--ink);
  stroke-width: 1.5px;
  vector-effect: non-scaling-stroke;
}
.cell {
  fill: var(--accent);
}
.cell.worn {
  fill: var(--attention);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  margin-top: 8px;
}
.acts button {
  padding: 0;
  text-decoration: underline;
  text-underline-offset: 3px;
  color: var(--accent-words);
}
</style>
