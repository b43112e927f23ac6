<script setup lang="ts">
import { computed, ref } from 'vue'
import { useHouse, useSetHouse, useSettings, useWho } from '../api/queries'
import type { HouseView } from '../api/client'
import BedMap from '../components/BedMap.vue'
import EntryForm from '../components/EntryForm.vue'
import EntryTable, { type Column } from '../components/EntryTable.vue'
import HouseForm from '../components/HouseForm.vue'
import FinishingDrawer from '../components/FinishingDrawer.vue'
import LettersDrawer from '../components/LettersDrawer.vue'
import PeopleDrawer from '../components/PeopleDrawer.vue'
import RoomState from '../components/RoomState.vue'
import RulesDrawer from '../components/RulesDrawer.vue'
import WorkerList from '../components/WorkerList.vue'
import { fieldsOf, recipeFields } from '../components/fields'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { useRoomTitle } from '../composables/title'
import { mayLeave } from '../composables/unsaved'

const f = useFormats()
const who = useWho()
const house = useHouse()
const set = useSetHouse()
const settings = useSettings()
const editable = computed(() => who.data.value?.role === 'steward')

const all = [
  'Machines',
  'Materials',
  'Recipes',
  'Rules',
  'Finishing',
  'Messages',
  'People',
  'Hours and fees',
  'Workers',
] as const
const ofDesk: readonly string[] = ['Rules', 'Finishing', 'Messages', 'People', 'Workers']
/** Who works is for the desk. */
const drawers = computed(() => all.filter((d) => !ofDesk.includes(d) || who.data.value?.role !== 'member'))
const drawer = ref<(typeof all)[number]>('Machines')
useRoomTitle('House', () => drawer.value)
const chosen = ref<number>()
const v = computed(() => house.data.value)
const machine = computed(() => v.value?.machines.find((m) => m.id === chosen.value) ?? v.value?.machines[0])
const material = computed(() => v.value?.materials.find((m) => m.id === chosen.value) ?? v.value?.materials[0])
const recipe = computed(() => v.value?.recipes.find((m) => m.id === chosen.value) ?? v.value?.recipes[0])

async function choose(id: number) {
  if (id !== chosen.value && (await mayLeave())) chosen.value = id
}
async function turn(to: unknown) {
  if (to === drawer.value || !(await mayLeave())) return
  drawer.value = to as (typeof all)[number]
  chosen.value = undefined
}

const volume = (x: Entry<'machines'>['data']['volume']) =>
  `${x.shape === 'round' ? `⌀ ${x.x_mm}` : `${x.x_mm} × ${x.y_mm}`} × ${x.z_mm} mm`
const machineColumns = computed<Column<Entry<'machines'>>[]>(() => [
  {
    title: 'Machine',
    text: (m) => m.data.name,
    under: (m) => (m.data.in_service ? m.data.process : 'not yet in service'),
  },
  {
    title: 'Volume',
    text: (m) => volume(m.data.volume),
    by: (m) => m.data.volume.x_mm * m.data.volume.y_mm * m.data.volume.z_mm,
    num: true,
  },
  {
    title: 'Nozzles',
    text: (m) => (m.data.nozzles_mm?.length ? m.data.nozzles_mm.join(', ') + ' mm' : '–'),
    num: true,
  },
  { title: 'Loaded', text: (m) => `${m.data.colour_name} ${m.data.material}`, dot: (m) => m.data.colour },
  {
    title: 'An hour',
    text: (m) => f.value.money(m.data.rate_cents_per_hour),
    by: (m) => m.data.rate_cents_per_hour,
    right: true,
    num: true,
  },
])
const materialColumns = computed<Column<Entry<'materials'>>[]>(() => {
  const column = (title: string, by: (m: Entry<'materials'>) => number, text: (v: number) => string) => ({
    title,
    text: (m: Entry<'materials'>) => text(by(m)),
    by,
    right: true,
    num: true,
  })
  return [
    { title: 'Material', text: (m) => m.data.name },
    column(
      'Density',
      (m) => m.data.density_g_per_cm3,
      (v) => `${f.value.number(v, 2)} g/cm³`,
    ),
    column(
      'Full',
      (m) => m.data.spool_grams,
      (v) => `${f.value.number(v)} g`,
    ),
    column('Costs', (m) => m.data.spool_cents, f.value.money),
    column(
      'A gram',
      (m) => m.data.spool_cents / m.data.spool_grams,
      (v) => `${f.value.number(v, 2)} ct`,
    ),
  ]
})
const recipeColumns = computed<Column<Entry<'recipes'>>[]>(() => {
  const right = { right: true, num: true }
  return [
    { title: 'Recipe', text: (m) => m.data.name },
    { title: 'Material', text: (m) => m.data.material },
    { title: 'Layer', text: (m) => `${f.value.number(m.data.layer_mm, 2)} mm`, by: (m) => m.data.layer_mm, ...right },
    { title: 'Shells', text: (m) => `${m.data.shells}`, by: (m) => m.data.shells, ...right },
    { title: 'Infill', text: (m) => `${m.data.infill_percent} %`, by: (m) => m.data.infill_percent, ...right },
  ]
})

type Entry<K extends 'machines' | 'materials' | 'recipes'> = HouseView[K][number]
const saveMachine = (data: object) => set.machine({ ...machine.value!, data: data as Entry<'machines'>['data'] })
const saveMaterial = (data: object) => set.material({ ...material.value!, data: data as Entry<'materials'>['data'] })
const saveRecipe = (data: object) => set.recipe({ ...recipe.value!, data: data as Entry<'recipes'>['data'] })

useKeys('House', [
  {
    key: 'd',
    does: 'Next drawer',
    run: () => void turn(drawers.value[(drawers.value.indexOf(drawer.value) + 1) % drawers.value.length]),
  },
])
</script>

<template>
  <div class="house">
    <header>
      <h1>House</h1>
      <v-tabs :model-value="drawer" density="compact" aria-label="Drawers" class="drawers" @update:model-value="turn">
        <v-tab v-for="d in drawers" :key="d" :value="d" aria-controls="drawer-panel">{{ d }}</v-tab>
      </v-tabs>
      <kbd>D</kbd>
    </header>
    <RoomState :data="v" :error="house.error.value" what="the house" @again="house.refetch()">
      <div v-if="v" id="drawer-panel" role="tabpanel" :aria-label="drawer">
        <template v-if="drawer === 'Machines'">
          <div class="two">
            <div>
              <EntryTable :entries="v.machines" :columns="machineColumns" :here="machine?.id" @choose="choose" />
              <BedMap
                v-if="machine?.data.process === 'material extrusion'"
                :machine-id="machine.id"
                :round="machine.data.volume.shape === 'round'"
                :may-turn="who.data.value?.role !== 'member'"
              />
            </div>
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
        </template>
        <template v-else-if="drawer === 'Materials'">
          <div class="two">
            <EntryTable :entries="v.materials" :columns="materialColumns" :here="material?.id" @choose="choose" />
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
        </template>
        <template v-else-if="drawer === 'Recipes'">
          <div class="two">
            <EntryTable :entries="v.recipes" :columns="recipeColumns" :here="recipe?.id" @choose="choose" />
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
        </template>
        <template v-else-if="drawer === 'Rules'"><RulesDrawer :editable="editable" /></template>
        <template v-else-if="drawer === 'Finishing'"><FinishingDrawer :editable="editable" /></template>
        <template v-else-if="drawer === 'Messages'"><LettersDrawer :editable="editable" /></template>
        <template v-else-if="drawer === 'People'"><PeopleDrawer :editable="editable" /></template>
        <template v-else-if="drawer === 'Hours and fees'">
          <HouseForm :house="v.house" :texts="v.texts" :editable="editable" :save="set.house" />
        </template>
        <template v-else-if="drawer === 'Workers'"><WorkerList /></template>
      </div>
    </RoomState>
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
.drawers :deep(.v-tab) {
  text-transform: none;
  letter-spacing: 0;
  font-family: var(--font-text);
}
.drawers {
  flex: none;
  max-width: 100%;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.1fr) minmax(0, 1fr);
  gap: 30px;
  align-items: start;
}
@media (max-width: 1000px) {
  .two {
    grid-template-columns: 1fr;
  }
}
@media (max-width: 760px) {
  header {
    flex-wrap: wrap;
    gap: 6px;
  }
}
</style>
