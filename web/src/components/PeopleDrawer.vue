<script setup lang="ts">
import { computed, ref } from 'vue'
import type { PersonView } from '../api/client'
import { usePeople, useSetGroup } from '../api/queries'
import AccountPanel from './AccountPanel.vue'
import OwedSum from './OwedSum.vue'
import RoomState from './RoomState.vue'

/** Everybody of the house, and the group of each, of whom rules may ask. */
defineProps<{ editable: boolean }>()
const people = usePeople(true)
const set = useSetGroup()
const chosen = ref<number>()
const groups = computed(() => [...new Set(people.data.value?.map((p) => p.group ?? '').filter(Boolean))].sort())
function write(p: PersonView, e: Event) {
  const group = (e.target as HTMLInputElement).value.trim()
  if (group !== (p.group ?? '')) set.mutate({ id: p.id, group })
}
</script>

<template>
  <RoomState :data="people.data.value" :error="people.error.value" what="the people" @again="people.refetch()">
    <p class="small quiet">
      A group is a course, a club or whatever the house tells its members apart by. Rules may ask for it.
    </p>
    <datalist id="groups">
      <option v-for="g in groups" :key="g" :value="g" />
    </datalist>
    <table class="people">
      <thead>
        <tr>
          <th>Name</th>
          <th>Role</th>
          <th>Group</th>
          <th class="right">Owes</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="p in people.data.value" :key="p.id">
          <td>{{ p.name }}</td>
          <td class="quiet">{{ p.role }}</td>
          <td>
            <input
              v-if="editable"
              :value="p.group"
              list="groups"
              maxlength="60"
              :aria-label="`Group of ${p.name}`"
              @change="write(p, $event)"
              @keydown.enter="($event.target as HTMLInputElement).blur()"
            />
            <template v-else>{{ p.group || '–' }}</template>
          </td>
          <td class="right">
            <button type="button" class="num owes" :aria-pressed="chosen === p.id" @click="chosen = p.id">
              <OwedSum :member="p.id" />
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <AccountPanel v-if="chosen" :key="chosen" :member="chosen" :steward="editable" />
  </RoomState>
</template>

<style scoped>
.people {
  border-collapse: collapse;
  margin-top: 10px;
}
th,
td {
  text-align: left;
  padding: 5px 26px 5px 0;
  border-bottom: 1px solid var(--rule);
}
th {
  font-weight: 400;
  color: var(--quiet);
}
input {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 2px 6px;
  background: var(--card);
  color: var(--ink);
}
.right {
  text-align: right;
}
.owes {
  text-decoration: underline dotted;
}
</style>
