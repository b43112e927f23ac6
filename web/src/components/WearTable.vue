<script setup lang="ts">
import { ref } from 'vue'
import type { StoresView, WearView } from '../api/client'
import { useRemovePart, useRenewPart } from '../api/queries'
import { useFormats } from '../composables/format'
import { usePanel } from '../composables/panels'
import SidePanel from './SidePanel.vue'
import WearForm from './WearForm.vue'

/** What wears out on machines, the most worn first, and their beds. */
defineProps<{ parts: StoresView['parts']; beds: StoresView['beds'] }>()
const f = useFormats()
const renew = useRenewPart()
const remove = useRemovePart()
const writes = ref(false)
usePanel(writes)
const of = ref<WearView>()
function write(part?: WearView) {
  of.value = part
  writes.value = true
}
/** Which is asked once more about: a count that is begun anew, or left, is gone. */
const sure = ref<{ id: number; what: 'renew' | 'remove' }>()
const asks = (p: WearView, what: 'renew' | 'remove') => sure.value?.id === p.id && sure.value.what === what
function said(p: WearView, what: 'renew' | 'remove') {
  if (!asks(p, what)) return void (sure.value = { id: p.id, what })
  sure.value = undefined
  ;(what === 'renew' ? renew : remove).mutate({ part: p })
}
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
          <th scope="col">Of</th>
          <th scope="col">Since</th>
          <td />
        </tr>
      </thead>
      <tbody>
        <tr v-for="p in parts" :key="p.id" :class="p.stands">
          <th scope="row">
            {{ p.name }}
            <span class="quiet small">{{ p.machine }}{{ p.nozzle ? `, nozzle ${p.nozzle}` : '' }}</span>
          </th>
          <td class="num">
            {{ hours(p.hours) }}, {{ f.grams(p.grams) }}
            <span class="small quiet">in {{ p.runs }} {{ p.runs === 1 ? 'run' : 'runs' }}</span>
          </td>
          <td class="num">
            <template v-if="p.limit_hours || p.limit_grams">
              <meter
                :value="Math.min(1, p.share)"
                min="0"
                max="1"
                :aria-label="`${f.number(100 * p.share, 0)} % used`"
              />
              <span :class="{ note: p.stands !== 'fine' }"
                >{{ marks[p.stands] }} {{ f.number(100 * p.share, 0) }} %</span
              >
              <span class="small quiet">
                of
                {{
                  [p.limit_hours && hours(p.limit_hours), p.limit_grams && f.grams(p.limit_grams)]
                    .filter(Boolean)
                    .join(' or ')
                }}</span
              >
            </template>
            <span v-else class="quiet">no limit</span>
          </td>
          <td class="small">{{ f.dayOf(p.since) }}</td>
          <td class="acts">
            <v-btn size="x-small" :color="asks(p, 'renew') ? 'primary' : undefined" @click="said(p, 'renew')">{{
              asks(p, 'renew') ? 'Yes, it is new' : 'It is new'
            }}</v-btn>
            <v-btn size="x-small" variant="text" @click="write(p)">Change</v-btn>
            <v-btn
              size="x-small"
              variant="text"
              :color="asks(p, 'remove') ? 'error' : undefined"
              @click="said(p, 'remove')"
              >{{ asks(p, 'remove') ? 'Yes, forget it' : 'Leave off' }}</v-btn
            >
          </td>
        </tr>
        <tr v-for="b in beds" :key="`bed ${b.machine_id}`" :class="{ worn: b.kept > 0 }">
          <th scope="row">
            Bed <span class="quiet small">{{ b.machine }}</span>
          </th>
          <td class="num">
            {{ hours(b.hours) }} at its most worn spot
            <span class="small quiet">in {{ b.runs }} {{ b.runs === 1 ? 'run' : 'runs' }}</span>
          </td>
          <td class="num">
            <template v-if="b.limit_hours">
              <span :class="{ note: b.kept > 0 }"
                >{{ b.kept > 0 ? '▲ ' : '' }}{{ f.number(100 * b.kept, 0) }} % kept free</span
              >
              <span class="small quiet"> from {{ hours(b.limit_hours) }} on</span>
            </template>
            <span v-else class="quiet">no limit</span>
          </td>
          <td class="small">{{ f.dayOf(b.since) }}</td>
          <td class="small"><RouterLink to="/house">turn or renew it</RouterLink></td>
        </tr>
      </tbody>
    </table>
    <SidePanel v-model="writes" :label="of ? `Change ${of.name}` : 'Count another part'" :width="420">
      <WearForm :key="of?.id ?? 0" :part="of" @done="writes = false" />
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
meter {
  width: 54px;
  height: 10px;
}
.note {
  color: var(--attention-words);
}
.acts {
  white-space: nowrap;
  text-align: right;
}
</style>
