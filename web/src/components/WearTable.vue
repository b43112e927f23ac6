<script setup lang="ts">
import { ref } from 'vue'
import type { StoresView, WearView } from '../api/client'
import { useRenewPart } from '../api/queries'
import { useFormats } from '../composables/format'
import { usePanel } from '../composables/panels'
import SidePanel from './SidePanel.vue'
import WearForm from './WearForm.vue'

/** What wears out on machines, the most worn first, and their beds. */
defineProps<{ parts: StoresView['parts']; beds: StoresView['beds'] }>()
const f = useFormats()
const renew = useRenewPart()
const writes = ref(false)
usePanel(writes)
const chosen = ref<WearView>()
function write(part?: WearView) {
  chosen.value = part
  writes.value = true
}
/** Which is asked once more about: a count that begins anew is gone. */
const sure = ref<number>()
function isNew(part: WearView) {
  if (sure.value !== part.id) return void (sure.value = part.id)
  sure.value = undefined
  renew.mutate({ part })
}
const of = (done: string, limit?: string | number) => (limit ? `${done} of ${limit}` : done)
const marks = { fine: '', soon: '◐', worn: '▲' }
const hours = (h: number) => `${f.value.number(h, h < 10 ? 1 : 0)} h`
</script>

<template>
  <section class="wear" aria-label="What wears out">
    <h2>
      What wears out
      <v-btn id="count-part" size="small" @click="write()">Count another part</v-btn>
    </h2>
    <p v-if="!parts.length && !beds.length" class="quiet small">
      Nothing is counted. Say what is good for so many hours or grams, as a nozzle: who starts a run after that is
      reminded.
    </p>
    <table v-else>
      <thead>
        <tr>
          <th scope="col">Part</th>
          <th scope="col">Has done</th>
          <td />
        </tr>
      </thead>
      <tbody>
        <tr v-for="p in parts" :key="p.id" :class="p.stands">
          <th scope="row">
            {{ p.name }}
            <span class="quiet small">{{ p.machine }}{{ p.nozzle ? `, nozzle ${p.nozzle}` : '' }}</span>
          </th>
          <td>
            <template v-if="p.limit_hours || p.limit_grams">
              <span
                class="bar"
                role="meter"
                aria-valuemin="0"
                aria-valuemax="100"
                :aria-valuenow="Math.round(100 * p.share)"
                :aria-label="`What ${p.name} of ${p.machine} has done of what it is good for`"
                ><i :class="p.stands" :style="{ width: `${100 * Math.min(1, p.share)}%` }"
              /></span>
              <span class="num" :class="{ note: p.stands !== 'fine' }">
                {{ marks[p.stands] }} {{ f.number(100 * p.share, 0) }} %</span
              >
            </template>
            <span v-else class="quiet">no limit</span>
            <span class="small quiet"
              >{{ of(hours(p.hours), p.limit_hours && hours(p.limit_hours)) }},
              {{ of(f.grams(p.grams), p.limit_grams && f.grams(p.limit_grams)) }}; since {{ f.dayOf(p.since) }}</span
            >
          </td>
          <td class="acts">
            <v-btn size="small" :color="sure === p.id ? 'primary' : undefined" @click="isNew(p)">{{
              sure === p.id ? 'Yes, it is new' : 'It is new'
            }}</v-btn>
            <v-btn size="small" variant="text" @click="write(p)">Change</v-btn>
          </td>
        </tr>
        <tr v-for="b in beds" :key="`bed ${b.machine_id}`" :class="{ worn: b.kept > 0 }">
          <th scope="row">
            Bed <span class="quiet small">{{ b.machine }}</span>
          </th>
          <td>
            <span v-if="b.limit_hours" class="num" :class="{ note: b.kept > 0 }"
              >{{ b.kept > 0 ? '▲ ' : '' }}{{ f.number(100 * b.kept, 0) }} % kept free</span
            >
            <span v-else class="quiet">no limit</span>
            <span class="small quiet"
              >{{ of(hours(b.hours), b.limit_hours && hours(b.limit_hours)) }} at its most worn spot; since
              {{ f.dayOf(b.since) }}</span
            >
          </td>
          <td class="acts"><RouterLink to="/house">turn or renew it</RouterLink></td>
        </tr>
      </tbody>
    </table>
    <SidePanel v-model="writes" :label="chosen ? `Change ${chosen.name}` : 'Count another part'" :width="420">
      <WearForm :key="chosen?.id ?? 0" :part="chosen" @done="writes = false" />
    </SidePanel>
  </section>
</template>

<style scoped>
.wear {
  margin-top: 10px;
}
h2 {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
table {
  width: 100%;
  border-collapse: collapse;
  margin-top: 6px;
}
th,
td {
  text-align: left;
  padding: 5px 8px 5px 0;
  border-bottom: 1px solid var(--rule);
  font-weight: inherit;
  vertical-align: baseline;
}
thead th {
  color: var(--quiet);
  font-size: 0.85em;
}
tbody th .small,
td > .small {
  display: block;
}
tr.worn th,
tr.soon th {
  font-weight: 600;
}
.bar {
  display: inline-block;
  width: 90px;
  height: 8px;
  margin-right: 8px;
  border: 1px solid var(--rule);
  background: var(--card);
}
.bar i {
  display: block;
  height: 100%;
  background: var(--accent);
}
.bar .worn,
.bar .soon {
  background: var(--attention);
}
.note {
  color: var(--attention-words);
}
td.acts {
  white-space: nowrap;
  text-align: right;
  padding-right: 0;
}
</style>
