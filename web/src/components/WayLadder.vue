<script setup lang="ts">
import { computed, ref } from 'vue'
import type { JobView, LadderRow } from '../api/client'
import { useTurnPieces } from '../api/queries'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { useLadderOrder } from '../composables/ladderOrder'
import WhyNot from './WhyNot.vue'

/** What a job would take where its pieces stand otherwise, beside the row that is chosen. */
const props = defineProps<{ job: JobView; beside?: LadderRow }>()
/** A row was taken: its pieces are turned, and its machine is the one to look at. */
const emit = defineEmits<{ choose: [machineId: number] }>()
const ways = computed(() => props.job.ways)
const locked = computed(() => !props.job.may.change)
const turn = useTurnPieces()
const f = useFormats()
const { ordered } = useLadderOrder()

const few = 4
const all = ref(false)
const rows = computed(() => ordered(ways.value.rows))
const takers = computed(() => rows.value.filter((r) => r.takes))
const shown = computed(() => (all.value ? rows.value : takers.value.slice(0, few)))
const more = computed(() => rows.value.length - shown.value.length)
const keyOf = (r: LadderRow) => `${r.machine_id} ${r.way}`
const at = ref('')
const here = computed(() => takers.value.find((r) => keyOf(r) === at.value))

/** How much more or less than the chosen row, with its sign. */
const signed = (v: number, text: (v: number) => string) => (v > 0 ? '+' : '−') + text(Math.abs(v))
const time = (r: LadderRow) => {
  const d = (r.seconds ?? 0) - (props.beside?.seconds ?? 0)
  return Math.abs(d) < 30 ? 'as long' : signed(d, f.value.duration)
}
const money = (r: LadderRow) => {
  const d = (r.price_cents ?? 0) - (props.beside?.price_cents ?? 0)
  return d === 0 ? 'as much' : signed(d, f.value.money)
}
function choose(r: LadderRow | undefined) {
  if (!r?.takes || locked.value || turn.isPending.value) return
  const { id, revision, title } = props.job
  emit('choose', r.machine_id)
  turn.mutate({ id, revision, title, row: r })
}

useKeys('Orientations', [
  {
    key: 't',
    does: 'Look at the next row that stands otherwise',
    run: () => {
      const i = takers.value.findIndex((r) => keyOf(r) === at.value)
      const next = takers.value[(i + 1) % takers.value.length]!
      at.value = keyOf(next)
      if (takers.value.indexOf(next) >= few) all.value = true
    },
    when: () => takers.value.length > 0,
  },
  {
    key: 'Shift+t',
    does: 'Stand it so, on that machine',
    run: () => choose(here.value),
    when: () => !!here.value && !locked.value,
  },
])
</script>

<template>
  <section v-if="ways.of" aria-label="Standing otherwise" class="ways">
    <h3>
      Standing otherwise
      <kbd v-if="takers.length">T</kbd>
    </h3>
    <p v-if="ways.tried < ways.of" class="small quiet" role="status">
      Trying orientations: {{ ways.tried }} of {{ ways.of }} …
    </p>
    <table v-if="shown.length" class="ledger">
      <thead>
        <tr>
          <th>Machine, orientation</th>
          <th class="right">Time</th>
          <th class="right">Price</th>
          <th class="right">Finished</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in shown" :key="keyOf(r)" :class="{ here: keyOf(r) === at, not: !r.takes }" @click="at = keyOf(r)">
          <td>
            <strong>{{ r.name }}</strong>
            <div class="small quiet">{{ r.way }}</div>
            <div v-if="r.load" class="small load">▲ {{ r.load }}</div>
            <div v-if="r.short" class="small load">▲ {{ r.short }}</div>
            <button v-if="keyOf(r) === at && r.takes && !locked" type="button" class="link" @click.stop="choose(r)">
              stand it so <kbd>Shift + T</kbd>
            </button>
          </td>
          <template v-if="r.takes">
            <td class="right num">
              {{ f.duration(r.seconds) }}
              <div class="small quiet">{{ time(r) }}</div>
            </td>
            <td class="right num">
              {{ f.money(r.price_cents) }}
              <div class="small quiet">{{ money(r) }}</div>
            </td>
            <td class="right num">{{ f.soon(r.finish) }}</td>
          </template>
          <td v-else colspan="3" class="small"><WhyNot :row="r" /></td>
        </tr>
      </tbody>
    </table>
    <p v-else-if="ways.tried === ways.of" class="small quiet">No machine in service takes it otherwise.</p>
    <button v-if="more > 0 || all" type="button" class="link small" @click="all = !all">
      {{ all ? 'only the best' : `${more} more` }}
    </button>
  </section>
</template>

<style scoped>
.ways {
  margin-top: 14px;
}
h3 {
  display: flex;
  gap: 8px;
  align-items: center;
  font-size: 0.95rem;
}
tbody tr {
  cursor: pointer;
}
tbody tr:hover td {
  background: var(--faint);
}
.here td {
  background: color-mix(in srgb, var(--accent) 14%, var(--card));
}
.not {
  color: var(--quiet);
}
td,
th {
  font-size: 0.9rem;
  padding-left: 5px !important;
  padding-right: 5px !important;
}
.load {
  color: var(--attention-words);
}
.link {
  padding: 0;
  text-decoration: underline;
  text-underline-offset: 3px;
  color: var(--accent-words);
}
.num .small {
  font-family: var(--font-text);
}
</style>
