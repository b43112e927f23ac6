<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useHouse, useSetHouse, useSettings, useWho } from '../api/queries'
import { Refusal, type HouseSettings, type HouseView } from '../api/client'
import EntryForm from '../components/EntryForm.vue'
import WorkerList from '../components/WorkerList.vue'
import { fieldsOf, hoursText, parseHours, recipeFields, valuesOf } from '../components/fields'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'

const f = useFormats()
const who = useWho()
const house = useHouse()
const set = useSetHouse()
const settings = useSettings()
const editable = computed(() => who.data.value?.role === 'steward')

const all = ['Machines', 'Materials', 'Recipes', 'Hours and fees', 'Workers'] as const
/** Who works is for the desk. */
const drawers = computed(() => all.filter((d) => d !== 'Workers' || who.data.value?.role !== 'member'))
const drawer = ref<(typeof all)[number]>('Machines')
const chosen = ref<number>()
watch(drawer, () => (chosen.value = undefined))
const v = computed(() => house.data.value)
const machine = computed(() => v.value?.machines.find((m) => m.id === chosen.value) ?? v.value?.machines[0])
const material = computed(() => v.value?.materials.find((m) => m.id === chosen.value) ?? v.value?.materials[0])
const recipe = computed(() => v.value?.recipes.find((m) => m.id === chosen.value) ?? v.value?.recipes[0])

const days = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday']
const week = [1, 2, 3, 4, 5, 6, 0]
const draft = ref<{ settings: HouseSettings; hours: string[]; fee: string }>()
watch(
  () => v.value?.house,
  (h) => {
    if (h) draft.value = { settings: { ...h }, hours: h.week.map(hoursText), fee: (h.start_cents / 100).toFixed(2) }
  },
  { immediate: true },
)
const problem = ref('')
async function saveHouse() {
  const d = draft.value
  if (!d) return
  problem.value = ''
  const spans = d.hours.map(parseHours)
  const bad = spans.findIndex((s) => !s)
  if (bad >= 0) {
    problem.value = `${days[bad]}: write hours as 10:00–13:00, 14:00–21:00, or leave it empty for closed.`
    return
  }
  try {
    await set.house({
      ...d.settings,
      week: spans as HouseSettings['week'],
      start_cents: Math.round(Number(d.fee) * 100),
    })
  } catch (e) {
    problem.value = e instanceof Refusal ? e.message : String(e)
  }
}
type Entry<K extends 'machines' | 'materials' | 'recipes'> = HouseView[K][number]
const saveMachine = (data: object) => set.machine({ ...machine.value!, data: data as Entry<'machines'>['data'] })
const saveMaterial = (data: object) => set.material({ ...material.value!, data: data as Entry<'materials'>['data'] })
const saveRecipe = (data: object) => set.recipe({ ...recipe.value!, data: data as Entry<'recipes'>['data'] })

useKeys('House', [
  {
    key: 'd',
    does: 'Next drawer',
    run: () => (drawer.value = drawers.value[(drawers.value.indexOf(drawer.value) + 1) % drawers.value.length]!),
  },
])
</script>

<template>
  <div v-if="v" class="house">
    <header>
      <h1>House</h1>
      <div class="drawers" role="tablist">
        <button
          v-for="d in drawers"
          :key="d"
          type="button"
          role="tab"
          :aria-selected="d === drawer"
          @click="drawer = d"
        >
          {{ d }}
        </button>
        <kbd>D</kbd>
      </div>
    </header>

    <div v-if="drawer === 'Machines'" class="two">
      <table class="ledger">
        <thead>
          <tr>
            <th>Machine</th>
            <th>Volume</th>
            <th>Nozzles</th>
            <th>Loaded</th>
            <th class="right">An hour</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="m in v.machines"
            :key="m.id"
            :class="{ here: m.id === machine?.id }"
            tabindex="0"
            @click="chosen = m.id"
            @keydown.enter="chosen = m.id"
          >
            <td>
              <strong>{{ m.data.name }}</strong>
              <div class="small quiet">{{ m.data.in_service ? m.data.process : 'not yet in service' }}</div>
            </td>
            <td class="num">
              {{
                m.data.volume.shape === 'round'
                  ? `⌀ ${m.data.volume.x_mm}`
                  : `${m.data.volume.x_mm} × ${m.data.volume.y_mm}`
              }}
              × {{ m.data.volume.z_mm }} mm
            </td>
            <td class="num">{{ m.data.nozzles_mm?.length ? m.data.nozzles_mm.join(', ') + ' mm' : '–' }}</td>
            <td>
              <span class="dot" :style="{ background: m.data.colour }" /> {{ m.data.colour_name }} {{ m.data.material }}
            </td>
            <td class="right num">{{ f.money(m.data.rate_cents_per_hour) }}</td>
          </tr>
        </tbody>
      </table>
      <EntryForm
        v-if="machine"
        :key="machine.id"
        :title="machine.data.name"
        :data="machine.data"
        :fields="fieldsOf(settings.data.value?.machine ?? [])"
        :editable="editable"
        :save="saveMachine"
      />
    </div>

    <div v-else-if="drawer === 'Materials'" class="two">
      <table class="ledger">
        <thead>
          <tr>
            <th>Material</th>
            <th class="right">Density</th>
            <th class="right">Full</th>
            <th class="right">Costs</th>
            <th class="right">A gram</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="m in v.materials"
            :key="m.id"
            :class="{ here: m.id === material?.id }"
            tabindex="0"
            @click="chosen = m.id"
            @keydown.enter="chosen = m.id"
          >
            <td>
              <strong>{{ m.data.name }}</strong>
            </td>
            <td class="right num">{{ f.number(m.data.density_g_per_cm3, 2) }} g/cm³</td>
            <td class="right num">{{ f.number(m.data.spool_grams) }} g</td>
            <td class="right num">{{ f.money(m.data.spool_cents) }}</td>
            <td class="right num">{{ f.number(m.data.spool_cents / m.data.spool_grams, 2) }} ct</td>
          </tr>
        </tbody>
      </table>
      <EntryForm
        v-if="material"
        :key="material.id"
        :title="material.data.name"
        :data="material.data"
        :fields="fieldsOf(settings.data.value?.material ?? [])"
        :editable="editable"
        :save="saveMaterial"
      />
    </div>

    <div v-else-if="drawer === 'Recipes'" class="two">
      <table class="ledger">
        <thead>
          <tr>
            <th>Recipe</th>
            <th>Material</th>
            <th class="right">Layer</th>
            <th class="right">Shells</th>
            <th class="right">Infill</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="m in v.recipes"
            :key="m.id"
            :class="{ here: m.id === recipe?.id }"
            tabindex="0"
            @click="chosen = m.id"
            @keydown.enter="chosen = m.id"
          >
            <td>
              <strong>{{ m.data.name }}</strong>
            </td>
            <td>{{ m.data.material }}</td>
            <td class="right num">{{ f.number(m.data.layer_mm, 2) }} mm</td>
            <td class="right num">{{ m.data.shells }}</td>
            <td class="right num">{{ m.data.infill_percent }} %</td>
          </tr>
        </tbody>
      </table>
      <EntryForm
        v-if="recipe"
        :key="recipe.id"
        :title="recipe.data.name"
        :data="recipe.data"
        :fields="recipeFields(settings.data.value?.recipe ?? [])"
        rows
        :editable="editable"
        :save="saveRecipe"
      />
    </div>

    <WorkerList v-else-if="drawer === 'Workers'" />
    <form v-else-if="draft" class="settings" @submit.prevent="saveHouse">
      <fieldset>
        <legend><h2>Opening hours</h2></legend>
        <p class="quiet small">Runs start only while somebody is here. Leave a day empty when the house is closed.</p>
        <v-text-field
          v-for="d in week"
          :key="d"
          v-model="draft.hours[d]"
          :label="days[d]"
          :readonly="!editable"
          placeholder="closed"
          class="n"
        />
      </fieldset>
      <fieldset>
        <legend><h2>The house</h2></legend>
        <v-text-field v-model="draft.settings.name" label="Name" :readonly="!editable" />
        <v-text-field
          v-model.number="draft.settings.longest_run_min"
          label="Longest run without asking, 0: any"
          suffix="min"
          type="number"
          :readonly="!editable"
          class="n"
        />
        <v-text-field
          v-model.number="draft.settings.attendance_min"
          label="Somebody stays after a start"
          suffix="min"
          type="number"
          :readonly="!editable"
          class="n"
        />
        <v-text-field
          v-model="draft.fee"
          label="Fee for a start"
          type="number"
          step="any"
          :prefix="draft.settings.currency"
          :readonly="!editable"
          class="n"
        />
        <v-text-field v-model="draft.settings.currency" label="Currency (ISO 4217)" :readonly="!editable" />
        <v-text-field
          v-model="draft.settings.locale"
          label="Language and country, for dates and numbers"
          :readonly="!editable"
        />
        <v-text-field v-model="draft.settings.time_zone" label="Time zone" :readonly="!editable" />
        <v-text-field
          v-model="draft.settings.file_pattern"
          label="Files are named"
          :placeholder="v.texts.file_pattern"
          persistent-placeholder
          :readonly="!editable"
          class="n"
          :hint="valuesOf(v.texts.file_names)"
          persistent-hint
        />
        <p v-if="problem" role="alert" class="problem">■ {{ problem }}</p>
        <v-btn v-if="editable" type="submit" color="primary" variant="flat">Save</v-btn>
        <p v-else class="quiet small">Only a steward may change this.</p>
      </fieldset>
    </form>
  </div>
</template>

<style scoped>
.house {
  padding: 12px 18px 40px;
}
header {
  display: flex;
  gap: 26px;
  align-items: center;
  margin-bottom: 14px;
}
.drawers {
  display: flex;
  gap: 8px;
  align-items: center;
}
.drawers button {
  padding: 4px 14px;
  border: 1.5px solid var(--rule);
  border-radius: 3px 3px 0 0;
  border-bottom-width: 4px;
  color: var(--ink);
}
.drawers button[aria-selected='true'] {
  border-color: var(--ink);
  border-bottom-color: var(--accent);
  font-weight: 650;
}
.two {
  display: grid;
  grid-template-columns: minmax(480px, 1fr) minmax(400px, 1fr);
  gap: 30px;
  align-items: start;
}
.two tr {
  cursor: pointer;
}
.two tbody tr:hover td {
  background: var(--faint);
}
.here td {
  background: color-mix(in srgb, var(--accent) 14%, var(--card));
}
.dot {
  display: inline-block;
  width: 10px;
  height: 10px;
  border-radius: 50%;
  border: 1px solid var(--ink);
}
.settings {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 40px;
  max-width: 900px;
}
fieldset {
  border: none;
  display: grid;
  gap: 11px;
  align-content: start;
}
.n :deep(input) {
  font-family: var(--font-number);
}
.problem {
  color: var(--stop);
  font-weight: 600;
}
</style>
