<script setup lang="ts">
import { computed, ref } from 'vue'
import { useHouse, useSetHouse, useSettings, useWho } from '../api/queries'
import type { HouseView } from '../api/client'
import EntryForm from '../components/EntryForm.vue'
import HouseForm from '../components/HouseForm.vue'
import RoomState from '../components/RoomState.vue'
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

const all = ['Machines', 'Materials', 'Recipes', 'Hours and fees', 'Workers'] as const
/** Who works is for the desk. */
const drawers = computed(() => all.filter((d) => d !== 'Workers' || who.data.value?.role !== 'member'))
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
                <tr v-for="m in v.machines" :key="m.id" :class="{ here: m.id === machine?.id }" @click="choose(m.id)">
                  <td>
                    <button type="button" :aria-pressed="m.id === machine?.id" @click.stop="choose(m.id)">
                      {{ m.data.name }}
                    </button>
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
                    <span class="dot" :style="{ background: m.data.colour }" /> {{ m.data.colour_name }}
                    {{ m.data.material }}
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
        </template>
        <template v-else-if="drawer === 'Materials'">
          <div class="two">
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
                <tr v-for="m in v.materials" :key="m.id" :class="{ here: m.id === material?.id }" @click="choose(m.id)">
                  <td>
                    <button type="button" :aria-pressed="m.id === material?.id" @click.stop="choose(m.id)">
                      {{ m.data.name }}
                    </button>
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
        </template>
        <template v-else-if="drawer === 'Recipes'">
          <div class="two">
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
                <tr v-for="m in v.recipes" :key="m.id" :class="{ here: m.id === recipe?.id }" @click="choose(m.id)">
                  <td>
                    <button type="button" :aria-pressed="m.id === recipe?.id" @click.stop="choose(m.id)">
                      {{ m.data.name }}
                    </button>
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
        </template>
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
.two button {
  font-weight: 650;
  text-align: left;
  padding: 0;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.1fr) minmax(0, 1fr);
  gap: 30px;
  align-items: start;
}
.two td {
  vertical-align: middle;
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
  .two > table {
    display: block;
    overflow-x: auto;
  }
}
</style>
