<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import type { SpoolView } from '../api/client'
import { useStores } from '../api/queries'
import ReceiveForm from '../components/ReceiveForm.vue'
import RoomState from '../components/RoomState.vue'
import SidePanel from '../components/SidePanel.vue'
import SpoolPanel from '../components/SpoolPanel.vue'
import SpoolRing from '../components/SpoolRing.vue'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { usePanel } from '../composables/panels'
import { useRoomTitle } from '../composables/title'
import WearTable from '../components/WearTable.vue'
import { spoolMark as mark } from '../components/spools'

const f = useFormats()
const query = useStores()
useRoomTitle('Stores')
const search = ref('')
const searchField = ref<{ focus(): void }>()
const comes = ref(false)
usePanel(comes)

const all = computed(() => query.data.value?.spools ?? [])
const holds = (s: SpoolView, w: string) =>
  [s.material, s.colour_name, s.lot, s.place, s.machine, s.state, `${s.id}`].some((x) => x?.toLowerCase().includes(w))
const shown = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean)
  return all.value.filter((s) => words.every((w) => holds(s, w)))
})
const groups = computed(() =>
  (query.data.value?.materials ?? [])
    .map((m) => ({ ...m, of: shown.value.filter((s) => s.material === m.material) }))
    .concat(emptyOnes.value)
    .filter((g) => g.of.length || (!search.value && g.promised_grams)),
)
/** Of a material that has nothing but empty spools. */
const emptyOnes = computed(() => {
  const known = query.data.value?.materials.map((m) => m.material) ?? []
  const rest = [...new Set(shown.value.map((s) => s.material))].filter((m) => !known.includes(m))
  return rest.map((material) => ({
    material,
    left_grams: 0,
    promised_grams: 0,
    spools: 0,
    of: shown.value.filter((s) => s.material === material),
  }))
})
const worn = computed(() => query.data.value?.parts.filter((p) => p.stands === 'worn').length ?? 0)
const toWear = () => document.querySelector('.wear')?.scrollIntoView({ block: 'center', behavior: 'smooth' })
const inOrder = computed(() => groups.value.flatMap((g) => g.of))
const id = ref<number>()
const chosen = computed(() => inOrder.value.find((s) => s.id === id.value) ?? inOrder.value[0])
const panel = ref<{ weigh(): void }>()
watch(
  () => chosen.value?.id,
  (n) => n && void nextTick(() => document.getElementById(`spool-${n}`)?.scrollIntoView?.({ block: 'nearest' })),
)
function step(by: number) {
  const k = inOrder.value.findIndex((s) => s.id === chosen.value?.id)
  id.value = inOrder.value[Math.max(0, Math.min(inOrder.value.length - 1, k + by))]?.id
}
const where = (s: SpoolView) =>
  s.machine ? `on ${s.machine}${(s.nozzle ?? 1) > 1 ? `, nozzle ${s.nozzle}` : ''}` : s.place || s.state
function came(ids: number[]) {
  comes.value = false
  id.value = ids[0]
}

useKeys('Stores', [
  { key: 'j', does: 'The next spool', run: () => step(1) },
  { key: 'k', does: 'The one before', run: () => step(-1) },
  { key: 'w', does: 'Weigh it', run: () => panel.value?.weigh(), when: () => !!chosen.value },
  { key: 'n', does: 'Spools have come', run: () => void (comes.value = true) },
  { key: '/', does: 'Search', run: () => searchField.value?.focus() },
])
</script>

<template>
  <article class="stores">
    <header>
      <h1>Stores</h1>
      <v-text-field
        ref="searchField"
        v-model="search"
        label="Search: material, colour, lot, place"
        density="compact"
        hide-details
        class="search"
        @keydown.esc="search = ''"
      />
      <button v-if="worn" id="worn" type="button" class="note" @click="toWear">
        ▲ {{ worn === 1 ? 'a part is worn' : `${worn} parts are worn` }}
      </button>
      <v-btn id="comes" color="primary" variant="flat" @click="comes = true"
        >Spools have come <kbd class="on">N</kbd></v-btn
      >
    </header>
    <RoomState :data="query.data.value" :error="query.error.value" what="the stores" @again="query.refetch()">
      <p v-if="!all.length" class="first">
        No spools are in the books yet. Say what has come, or what is there: weigh it, and take off what an empty reel
        weighs. From then on every run is promised what it takes, and who starts one is told whether it is enough.
      </p>
      <p v-else-if="!shown.length" class="first">Nothing here is called so.</p>
      <div v-else class="cols">
        <div class="list">
          <section v-for="g in groups" :key="g.material" :aria-label="g.material">
            <h2>
              {{ g.material }}
              <span class="quiet small num"
                >{{ f.grams(g.left_grams) }} on {{ g.spools }} {{ g.spools === 1 ? 'spool' : 'spools'
                }}<template v-if="g.promised_grams"> · {{ f.grams(g.promised_grams) }} promised to runs</template></span
              >
              <span v-if="g.promised_grams > g.left_grams" class="note small">▲ more than there is</span>
            </h2>
            <ul>
              <li v-for="s in g.of" :key="s.id">
                <button
                  :id="`spool-${s.id}`"
                  type="button"
                  :class="{ here: s.id === chosen?.id }"
                  :aria-pressed="s.id === chosen?.id"
                  @click="id = s.id"
                >
                  <SpoolRing
                    :left="s.left_grams"
                    :full="s.full_grams"
                    :held="s.held_grams"
                    :colour="s.colour"
                    :says="`${f.grams(s.left_grams)} of ${f.grams(s.full_grams)}`"
                  />
                  <span class="text">
                    <b>{{ s.colour_name }}</b>
                    <span class="num">{{ f.grams(s.left_grams) }}</span>
                    <span class="quiet small">{{ mark[s.state] }} {{ where(s) }}</span>
                    <span v-if="s.notes.length" class="note small">▲ see to it</span>
                  </span>
                </button>
              </li>
            </ul>
          </section>
          <WearTable v-if="!search" :parts="query.data.value!.parts" :beds="query.data.value!.beds" />
        </div>
        <SpoolPanel v-if="chosen" ref="panel" :spool="chosen" class="one" />
      </div>
      <WearTable v-if="!all.length" :parts="query.data.value!.parts" :beds="query.data.value!.beds" />
    </RoomState>
    <SidePanel v-model="comes" label="Spools have come" :width="480"><ReceiveForm @done="came" /></SidePanel>
  </article>
</template>

<style scoped>
.stores {
  padding: 14px 18px;
  display: grid;
  gap: 12px;
}
header {
  display: flex;
  gap: 18px;
  align-items: center;
}
.search {
  max-width: 360px;
}
header .v-btn {
  margin-left: auto;
}
.first {
  max-width: 60ch;
  padding: 20px 0;
}
.cols {
  display: grid;
  grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
  gap: 26px;
  align-items: start;
}
.list {
  display: grid;
  gap: 16px;
}
.list ul {
  list-style: none;
  padding: 0;
  margin-top: 6px;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(190px, 1fr));
  gap: 6px;
}
.list button {
  display: flex;
  gap: 10px;
  align-items: center;
  width: 100%;
  height: 100%;
  padding: 7px 9px;
  text-align: left;
  border: 1px solid var(--rule);
  border-radius: 4px;
  background: var(--card);
}
.list button:hover {
  background: var(--faint);
}
.list button.here {
  border-color: var(--accent);
  box-shadow: inset 3px 0 0 var(--accent);
}
.text {
  display: grid;
  line-height: 1.25;
  min-width: 0;
}
.note {
  color: var(--attention-words);
}
header .note {
  text-decoration: underline;
}
.one {
  position: sticky;
  top: 66px;
  max-height: calc(100vh - 80px);
  overflow-y: auto;
}
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 8px;
}
@media (max-width: 900px) {
  .cols {
    grid-template-columns: 1fr;
  }
  .one {
    position: static;
    max-height: none;
  }
}
</style>
