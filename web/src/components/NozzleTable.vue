<script setup lang="ts">
import { computed, reactive } from 'vue'
import type { MachineNow } from '../api/client'
import { useLoad } from '../api/queries'
import { useFormats } from '../composables/format'

/** What is in the nozzles that a run uses, whether it lasts, and what else could be in them. */
const props = defineProps<{ machine: number; nozzles: MachineNow['nozzles'] }>()
const f = useFormats()
const load = useLoad()
type Nozzle = MachineNow['nozzles'][number]
const chosen = reactive<Record<number, number | undefined>>({})
const of = (n: Nozzle) => chosen[n.nozzle] ?? n.others[0]?.id
const known = computed(() => props.nozzles.some((n) => n.in || n.others.length))
function isIn(n: Nozzle) {
  const spool = n.others.find((o) => o.id === of(n))
  if (!spool) return
  load.mutate({
    machine: props.machine,
    nozzle: n.nozzle,
    material: n.material,
    colour: spool.colour || '#888888',
    colour_name: '',
    spool_id: spool.id,
  })
  chosen[n.nozzle] = undefined
}
</script>

<template>
  <section v-if="known" class="nozzles" aria-label="Filament">
    <div v-for="n in nozzles" :key="n.nozzle" class="nozzle">
      <p>
        <template v-if="nozzles.length > 1">Nozzle {{ n.nozzle }}: </template>
        <template v-if="n.in">
          <i class="dot" :style="{ background: n.in.colour || '#8a8a8a' }" /> {{ n.in.says }},
          <RouterLink to="/stores">no. {{ n.in.id }}</RouterLink
          >, <span class="num">{{ f.grams(n.in.left_grams) }}</span> on it.
        </template>
        <template v-else>No spool that is known is in it.</template>
        It takes <span class="num">{{ f.grams(n.takes_grams) }}</span> of {{ n.material }}.
      </p>
      <p v-if="n.short" class="short">▲ That is not enough: it would run out in the middle.</p>
      <form v-if="n.change && n.others.length" class="other" @submit.prevent="isIn(n)">
        <select
          :value="of(n)"
          :aria-label="`Another spool for nozzle ${n.nozzle}`"
          @change="chosen[n.nozzle] = Number(($event.target as HTMLSelectElement).value)"
        >
          <option v-for="o in n.others" :key="o.id" :value="o.id">
            no. {{ o.id }} · {{ o.says }} · {{ f.grams(o.left_grams)
            }}{{ o.left_grams < n.takes_grams ? ' (not enough)' : '' }}{{ o.place ? ` · ${o.place}` : '' }}
          </option>
        </select>
        <v-btn type="submit" size="small" class="is-in" :disabled="load.isPending.value">is in it now</v-btn>
      </form>
    </div>
  </section>
</template>

<style scoped>
.nozzles,
.nozzle {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  width: 100%;
  gap: 6px;
}
.dot {
  display: inline-block;
  width: 11px;
  height: 11px;
  border-radius: 50%;
  border: 1px solid var(--ink);
}
.short {
  color: var(--attention-words);
  font-weight: 600;
}
.other {
  display: flex;
  gap: 8px;
  align-items: center;
}
select {
  flex: 1;
  min-width: 0;
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 4px 8px;
  background: var(--card);
  color: var(--ink);
}
</style>
