<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { RoutineJob } from '../api/client'
import { useApproveTogether, useRoutine } from '../api/queries'
import { useFormats } from '../composables/format'
import RoomState from './RoomState.vue'
import SidePanel from './SidePanel.vue'

/** Jobs with nothing left to answer, with what a yes to all of them would make; each may be left out. */
const open = defineModel<boolean>({ required: true })
const f = useFormats()
const routine = useRoutine(open)
const approve = useApproveTogether()
const without = ref(new Set<number>())
const jobs = computed(() => routine.data.value?.jobs ?? [])
const chosen = computed(() => jobs.value.filter((j) => !without.value.has(j.id)))
const sum = (of: (j: RoutineJob) => number) => chosen.value.reduce((a, j) => a + of(j), 0)
const machines = computed(() => [...new Set(chosen.value.map((j) => j.machine))])
// A yes is at hand as soon as it is known to what; the panel takes the focus first.
const yes = ref<{ $el: HTMLElement }>()
watch([yes, open], () => setTimeout(() => open.value && yes.value?.$el.focus(), 60), { immediate: true })
function turn(id: number) {
  if (!without.value.delete(id)) without.value.add(id)
}
async function send() {
  if (!chosen.value.length || approve.isPending.value) return
  try {
    await approve.mutateAsync(chosen.value)
  } catch {
    return // the refusal has been said; the list is loaded anew
  }
  without.value = new Set()
  open.value = false
}
</script>

<template>
  <SidePanel v-model="open" label="Routine ones" :width="920">
    <form class="routine" @submit.prevent="send">
      <h2>Approve the routine ones together</h2>
      <RoomState
        :data="routine.data.value"
        :error="routine.error.value"
        what="the routine ones"
        @again="routine.refetch()"
      >
        <p v-if="!jobs.length" class="quiet">
          Every job that is to be decided has something left to answer; see each at the counter.
        </p>
        <template v-else>
          <p class="small quiet">
            Nothing is left to answer of these. They would be queued in this order, each timed behind those before it.
          </p>
          <table>
            <thead>
              <tr>
                <th><span class="unseen">Approve</span></th>
                <th>Job</th>
                <th>Machine</th>
                <th class="num">Plates</th>
                <th class="num">Time</th>
                <th class="num">Price</th>
                <th class="num">Done</th>
                <th>Rules</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="j in jobs" :key="j.id" :class="{ out: without.has(j.id) }">
                <td>
                  <input
                    type="checkbox"
                    :checked="!without.has(j.id)"
                    :aria-label="`Approve ${j.title}`"
                    @change="turn(j.id)"
                  />
                </td>
                <td>
                  <router-link :to="`/counter/${j.id}`" @click="open = false"
                    ><strong>{{ j.title }}</strong></router-link
                  ><br />
                  <span class="small quiet"
                    >{{ j.member }}<template v-if="j.needed_by">, by {{ f.day(j.needed_by) }}</template></span
                  >
                </td>
                <td>
                  {{ j.machine }}<br /><span class="small" :class="j.load ? 'stale' : 'quiet'">{{
                    j.load ? `▲ ${j.load}` : j.loaded
                  }}</span>
                </td>
                <td class="num">{{ j.plates }}</td>
                <td class="num">
                  {{ f.duration(j.seconds) }}<br /><span class="small quiet">{{ f.grams(j.grams) }}</span>
                </td>
                <td class="num">
                  {{ f.money(j.price_cents)
                  }}<template v-if="j.ceiling"
                    ><br /><span class="small quiet">≤ {{ f.money(j.ceiling.price_cents) }}</span></template
                  >
                </td>
                <td class="num">{{ f.moment(j.finish) }}</td>
                <td class="small">
                  ✓ {{ j.rules_met }} kept to<template v-if="j.told.length"
                    ><br /><span class="quiet">● {{ j.told.join(', ') }}</span></template
                  >
                </td>
              </tr>
            </tbody>
            <tfoot>
              <tr>
                <td></td>
                <td>{{ chosen.length }} of {{ jobs.length }}</td>
                <td>{{ machines.join(', ') }}</td>
                <td class="num">{{ sum((j) => j.plates) }}</td>
                <td class="num">{{ f.duration(sum((j) => j.seconds)) }}</td>
                <td class="num">{{ f.money(sum((j) => j.price_cents)) }}</td>
                <td colspan="2"></td>
              </tr>
            </tfoot>
          </table>
          <p v-if="chosen.some((j) => j.ceiling)" class="small quiet">
            ≤: not sliced yet. It is sliced first, and queued if it takes no more than this.
          </p>
        </template>
        <p class="acts">
          <v-btn
            v-if="jobs.length"
            id="together"
            ref="yes"
            type="submit"
            color="primary"
            variant="flat"
            size="large"
            :disabled="!chosen.length"
            :loading="approve.isPending.value"
            >Yes to {{ chosen.length === 1 ? 'this one' : `all ${chosen.length}` }} <kbd class="on">Enter</kbd></v-btn
          >
          <v-btn variant="text" @click="open = false">Leave it</v-btn>
        </p>
        <details v-if="routine.data.value?.others.length" class="small">
          <summary>{{ routine.data.value.others.length }} to be decided one by one</summary>
          <ul>
            <li v-for="o in routine.data.value.others" :key="o.id">
              <router-link :to="`/counter/${o.id}`" @click="open = false">{{ o.title }}</router-link>: {{ o.why }}
            </li>
          </ul>
        </details>
      </RoomState>
    </form>
  </SidePanel>
</template>

<style scoped>
.routine {
  display: grid;
  gap: 10px;
}
table {
  border-collapse: collapse;
  width: 100%;
}
th,
td {
  padding: 4px 8px 4px 0;
  text-align: left;
  vertical-align: top;
  border-bottom: 1px solid var(--rule);
}
th {
  font-weight: 400;
  color: var(--quiet);
}
th:last-child,
td:last-child {
  padding-left: 10px;
}
th.num,
td.num {
  padding-left: 12px;
  text-align: right;
  white-space: nowrap;
}
tfoot td {
  border-bottom: none;
  border-top: 1.5px solid var(--ink);
}
tr.out td:not(:first-child) {
  opacity: 0.45;
}
.acts {
  display: flex;
  gap: 10px;
  align-items: center;
}
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 8px;
}
.stale {
  color: var(--attention-words);
}
.unseen {
  position: absolute;
  clip-path: inset(50%);
}
</style>
