<script setup lang="ts">
import { computed } from 'vue'
import type { LadderRow } from '../api/client'
import { useFormats } from '../composables/format'
import { ladderColumns, useLadderOrder } from '../composables/ladderOrder'
import WhyNot from './WhyNot.vue'

const props = defineProps<{ rows: readonly LadderRow[]; chosen?: number; locked?: boolean; look?: boolean }>()
const emit = defineEmits<{ choose: [machineId: number] }>()
const f = useFormats()
const order = useLadderOrder()
const proposed = computed(() => props.rows.find((r) => r.proposed))

function choose(r: LadderRow) {
  // To look at, any machine will do; to queue on, only one that takes it.
  if (props.look || (!props.locked && r.takes)) emit('choose', r.machine_id)
}
</script>

<template>
  <table class="ledger ladder">
    <caption class="quiet small">
      Machine ladder, by the house recipe
    </caption>
    <thead>
      <tr>
        <th>Machine</th>
        <th
          v-for="c in ladderColumns"
          :key="c.key"
          class="right"
          :aria-sort="order.by.value === c.key ? 'ascending' : 'none'"
          :title="c.hint || undefined"
        >
          <button type="button" class="by" @click="order.choose(c.key)">
            {{ c.title }}<span v-if="order.by.value === c.key" aria-hidden="true"> ↑</span>
          </button>
        </th>
      </tr>
    </thead>
    <tbody>
      <tr
        v-for="r in order.ordered(rows)"
        :key="r.machine_id"
        :class="{ chosen: chosen === r.machine_id, not: !r.takes, can: look || (r.takes && !locked) }"
        @click="choose(r)"
      >
        <td>
          <label>
            <input
              v-if="look || !locked"
              type="radio"
              name="machine"
              :checked="chosen === r.machine_id"
              :disabled="!look && !r.takes"
              :aria-label="r.name"
              @change="choose(r)"
            />
            <strong>{{ r.name }}</strong>
          </label>
          <div v-if="r.load" class="small load">▲ {{ r.load }}</div>
          <div v-else-if="r.nozzles.length" class="small quiet">
            <div v-for="(n, i) in r.nozzles" :key="i" class="loaded">
              <span
                class="dot"
                :class="{ second: i > 0 }"
                :style="i === 0 ? { background: r.colour } : undefined"
              />nozzle {{ i + 1 }}:
              {{ n || 'empty' }}
            </div>
          </div>
          <div v-else class="small quiet loaded">
            <span class="dot" :style="{ background: r.colour }" />{{ r.loaded }}
          </div>
          <div v-if="r.short" class="small load">▲ {{ r.short }}</div>
        </td>
        <template v-if="r.takes">
          <td class="right num" :title="`${f.duration(r.warm_up_seconds)} of it warm-up`">
            {{ f.duration(r.seconds) }}
            <div v-if="(r.plates ?? 1) > 1" class="small quiet plates">{{ r.plates }} plates</div>
          </td>
          <td class="right num">{{ f.grams(r.grams) }}</td>
          <td class="right num">{{ f.money(r.price_cents) }}</td>
          <td class="right num finish">
            {{ f.soon(r.finish) }}
            <div v-if="r.proposed" class="small first" :title="r.why">◆ proposed</div>
            <div v-if="r.stale" class="small stale" :title="r.stale">▲ stale</div>
          </td>
        </template>
        <td v-else colspan="4" class="why"><WhyNot :row="r" /></td>
      </tr>
    </tbody>
  </table>
  <p v-if="look && proposed?.why" class="small first">◆ {{ proposed.name }}: {{ proposed.why }}</p>
</template>

<style scoped>
caption {
  text-align: left;
  padding-bottom: 4px;
}
.can {
  cursor: pointer;
}
.can:hover td {
  background: var(--faint);
}
.chosen td {
  background: color-mix(in srgb, var(--accent) 14%, var(--card));
}
.not {
  color: var(--quiet);
}
label {
  display: flex;
  gap: 6px;
  align-items: center;
}
.loaded {
  display: flex;
  gap: 5px;
  align-items: center;
  white-space: nowrap;
}
.dot {
  width: 10px;
  height: 10px;
  border-radius: 50%;
  border: 1px solid var(--ink);
  flex: none;
}
.dot.second {
  border-color: transparent;
}
/* Many plates have long numbers: the moment goes on two lines before the table goes over the edge. */
.finish {
  white-space: normal;
}
.finish .first {
  white-space: nowrap;
}
.stale {
  color: var(--attention-words);
  font-family: var(--font-text);
  font-weight: 600;
}
.load {
  color: var(--attention-words);
}
.by {
  padding: 0;
  font: inherit;
  color: inherit;
}
.by:hover {
  text-decoration: underline;
}
.plates {
  font-family: var(--font-text);
}
.first {
  color: var(--accent-words);
  font-family: var(--font-text);
  font-weight: 600;
}
td,
th {
  font-size: 0.9rem;
  padding-left: 5px !important;
  padding-right: 5px !important;
}
.why {
  padding-top: 8px;
}
</style>
