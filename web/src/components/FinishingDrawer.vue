<script setup lang="ts">
import { computed, ref } from 'vue'
import { Refusal, type HouseFinishing } from '../api/client'
import { useHouseFinishing, useMaterialsOf, useSetHouseFinishing } from '../api/queries'
import { useDraft } from '../composables/draft'
import { useFormats } from '../composables/format'
import { useUnsaved } from '../composables/unsaved'
import RoomState from './RoomState.vue'

/** What is done with parts after the machine, and how long they wait to be fetched. */
defineProps<{ editable: boolean }>()
const f = useFormats()
const query = useHouseFinishing()
const set = useSetHouseFinishing()
const materials = useMaterialsOf()
const { draft, dirty, putBack } = useDraft<HouseFinishing>(
  () => query.data.value,
  () => [],
)
useUnsaved(
  () => 'how the house finishes parts',
  () => dirty.value,
)
const kinds = ['take support off', 'soak', 'wash', 'cure', 'sand'] as const
const purposes = ['quick look', 'everyday', 'working part'] as const
type Rule = NonNullable<HouseFinishing['rules']>[number]
const rules = computed(() => draft.value?.rules ?? [])
function add() {
  if (draft.value) draft.value.rules = [...rules.value, { kind: 'take support off' }]
}
function drop(k: number) {
  if (draft.value) draft.value.rules = rules.value.filter((_, i) => i !== k)
}
const wrong = ref('')
const number = (v: number | undefined) => (v ? f.value.typed(v) : '')
const money = (v: number | undefined) => (v ? f.value.typed(v / 100, 2) : '')
type Figure = 'hands_min' | 'per_copy_min' | 'wait_min' | 'cents' | 'copy_cents'
function read(r: Rule, key: Figure, text: string) {
  const n = text.trim() ? f.value.read(text) : 0
  if (n === undefined || n < 0) return void (wrong.value = `“${text}” is no number.`)
  wrong.value = ''
  r[key] = key.endsWith('cents') ? Math.round(100 * n) : n
}
async function save() {
  if (!draft.value) return
  wrong.value = ''
  try {
    await set(draft.value)
  } catch (e) {
    wrong.value =
      e instanceof Refusal && Object.keys(e.fields).length ? Object.values(e.fields)[0]! : (e as Error).message
  }
}
const columns: [Figure, string][] = [
  ['hands_min', 'hands, min'],
  ['per_copy_min', 'a copy, min'],
  ['wait_min', 'by itself, min'],
]
</script>

<template>
  <RoomState :data="query.data.value" :error="query.error.value" what="how parts are finished" @again="query.refetch()">
    <form v-if="draft" class="form" @submit.prevent="save">
      <p class="small quiet">
        Parts go through these steps when they come off the machine. Of each kind the first line that is for them
        counts; its price is in what is said yes to.
      </p>
      <table class="ledger">
        <thead>
          <tr>
            <th>Step</th>
            <th>Where laid of</th>
            <th>For</th>
            <th>Only with support</th>
            <th>Is done</th>
            <th v-for="[key, name] in columns" :key="key" class="right">{{ name }}</th>
            <th class="right">price</th>
            <th class="right">a copy</th>
            <th>What hands have to know</th>
            <td />
          </tr>
        </thead>
        <tbody>
          <tr v-for="(r, k) in rules" :key="k">
            <td>
              <select v-model="r.kind" :disabled="!editable" aria-label="Step">
                <option v-for="x in kinds" :key="x" :value="x">{{ x }}</option>
              </select>
            </td>
            <td>
              <select v-model="r.material" :disabled="!editable" aria-label="Material">
                <option :value="undefined">anything</option>
                <option v-for="m in materials" :key="m.id" :value="m.data.name">{{ m.data.name }}</option>
              </select>
            </td>
            <td>
              <select v-model="r.purpose" :disabled="!editable" aria-label="Purpose">
                <option :value="undefined">any purpose</option>
                <option v-for="x in purposes" :key="x" :value="x">{{ x }}</option>
              </select>
            </td>
            <td>
              <input v-model="r.supported" type="checkbox" :disabled="!editable" aria-label="Only with support" />
            </td>
            <td>
              <input
                type="checkbox"
                :checked="!r.skip"
                :disabled="!editable"
                aria-label="It is done"
                @change="r.skip = !($event.target as HTMLInputElement).checked"
              />
            </td>
            <td v-for="[key, name] in columns" :key="key" class="right">
              <input
                class="num"
                :value="number(r[key])"
                :readonly="!editable"
                :aria-label="name"
                @change="read(r, key, ($event.target as HTMLInputElement).value)"
              />
            </td>
            <td class="right">
              <input
                class="num"
                :value="money(r.cents)"
                :readonly="!editable"
                aria-label="Price"
                @change="read(r, 'cents', ($event.target as HTMLInputElement).value)"
              />
            </td>
            <td class="right">
              <input
                class="num"
                :value="money(r.copy_cents)"
                :readonly="!editable"
                aria-label="Price of a copy"
                @change="read(r, 'copy_cents', ($event.target as HTMLInputElement).value)"
              />
            </td>
            <td><input v-model="r.how" class="how" maxlength="200" :readonly="!editable" aria-label="How" /></td>
            <td><v-btn v-if="editable" size="x-small" variant="text" @click="drop(k)">Remove</v-btn></td>
          </tr>
        </tbody>
      </table>
      <v-btn v-if="editable" size="small" class="add" @click="add">A step more</v-btn>
      <p>
        After
        <input
          class="num"
          :value="draft.fetch_days || ''"
          :readonly="!editable"
          aria-label="Days"
          @change="draft.fetch_days = Math.max(0, Math.round(f.read(($event.target as HTMLInputElement).value) ?? 0))"
        />
        days its member is told once more that a job waits to be fetched, and after as many again it is the house's.
        Empty: never.
      </p>
      <label
        ><input v-model="draft.own_failures" type="checkbox" :disabled="!editable" /> A failed run of a program that a
        member has sliced is the member's, as far as it came. Any other failure is the house's.</label
      >
      <p v-if="wrong" class="wrong" role="alert">■ {{ wrong }}</p>
      <div v-if="editable" class="acts">
        <v-btn type="submit" color="primary" variant="flat" :disabled="!dirty">Save</v-btn>
        <v-btn variant="text" :disabled="!dirty" @click="putBack">As it was</v-btn>
      </div>
    </form>
  </RoomState>
</template>

<style scoped>
.form {
  display: grid;
  gap: 12px;
  justify-items: start;
}
input:not([type='checkbox']),
select {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 3px 6px;
  background: var(--card);
  color: var(--ink);
}
input.num {
  width: 62px;
  text-align: right;
}
input.how {
  width: 180px;
}
.wrong {
  color: var(--stop);
  font-weight: 600;
}
.acts {
  display: flex;
  gap: 8px;
}
</style>
