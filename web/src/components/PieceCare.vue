<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import type { JobView, PieceChange, PieceView } from '../api/client'
import { useChangePiece, useRepair } from '../api/queries'
import { useFormats } from '../composables/format'
import PieceFile from './PieceFile.vue'
import { useWords } from './repair'

const props = defineProps<{ job: JobView; piece: PieceView; mayRepair: boolean }>()
const f = useFormats()
const change = useChangePiece()
const words = useWords()
const repair = useRepair()
const open = computed(() => props.job.may.change)
const busy = computed(
  () => change.isPending.value || repair.isPending.value || ['queued', 'running'].includes(props.job.check.state),
)

const asking = ref(false)
const steps = ref<string[]>([])
watch(
  () => [props.piece.id, props.piece.current],
  () => (asking.value = false),
)
const box = ref<HTMLElement>()
const focus = (what: string) => void nextTick(() => box.value?.querySelector<HTMLElement>(what)?.focus())
function ask() {
  steps.value = [...props.piece.mend]
  asking.value = !asking.value
  focus(asking.value ? '#repair-go' : '#repair')
}
const set = (v: Omit<PieceChange, 'revision'>) =>
  change.mutate({ id: props.piece.id, body: { revision: props.job.revision, ...v } })
const mayMend = computed(() => open.value && props.mayRepair && props.piece.mend.length > 0)
/** For keys of the room: asks which steps, where there is something to mend; goes to the units. */
defineExpose({ ask: () => mayMend.value && !busy.value && ask(), unit: () => focus('[data-unit]') })
function mend() {
  repair.mutate({
    id: props.piece.id,
    revision: props.job.revision,
    steps: words.steps.value.map((s) => s.key).filter((s) => steps.value.includes(s)),
  })
  asking.value = false
}
</script>

<template>
  <div ref="box" class="care">
    <section v-if="open && piece.unit_proposals.length" class="box">
      <p><strong>Which unit?</strong> The file does not say. <kbd>U</kbd></p>
      <div v-for="u in piece.unit_proposals" :key="u.unit" class="row">
        <v-btn size="small" :data-unit="u.unit" :disabled="busy" @click="set({ unit: u.unit as PieceChange['unit'] })"
          >Take {{ words.unitName(u.unit) }}</v-btn
        >
        <span class="small"
          ><span class="num">{{ f.mm(u.longest_mm) }}</span> long, fits {{ u.machines }}
          {{ u.machines === 1 ? 'machine' : 'machines' }}</span
        >
      </div>
    </section>
    <section v-else-if="open && piece.said_unit" class="box">
      <p>
        Taken in <strong>{{ words.unitName(piece.said_unit) }}</strong>.
        <button type="button" class="link" :disabled="busy" @click="set({ unit: '' })">Undo</button>
      </p>
    </section>

    <section v-if="mayMend" class="box">
      <div class="row">
        <v-btn id="repair" size="small" :disabled="busy" :aria-expanded="asking" @click="ask"
          >Repair … <kbd class="on">R</kbd></v-btn
        >
        <span class="small quiet">makes a new version; the file as it came stays</span>
      </div>
      <form v-if="asking" class="steps" @submit.prevent="mend" @keydown.esc.stop="ask">
        <label v-for="s in words.steps.value" :key="s.key" class="small"
          ><input v-model="steps" type="checkbox" :value="s.key" /> {{ s.name }}</label
        >
        <v-btn
          id="repair-go"
          type="submit"
          color="primary"
          variant="flat"
          size="small"
          :disabled="!steps.length || busy"
          >Make the repaired version</v-btn
        >
      </form>
    </section>

    <section v-if="piece.versions.length > 1" class="box versions">
      <table class="ledger small">
        <thead>
          <tr>
            <td />
            <th v-for="v in piece.versions" :key="v.n" class="right">
              {{ v.n === 1 ? 'As it came' : `Version ${v.n}` }}
            </th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <td>Counts</td>
            <td v-for="v in piece.versions" :key="v.n" class="right">
              <input
                type="radio"
                :name="`counts-${piece.id}`"
                :checked="v.n === piece.current"
                :disabled="!open || busy"
                :aria-label="`Version ${v.n} counts`"
                @change="set({ current: v.n })"
              />
            </td>
          </tr>
          <tr>
            <td>Triangles</td>
            <td v-for="v in piece.versions" :key="v.n" class="right num">{{ f.number(v.surface.triangles) }}</td>
          </tr>
          <tr>
            <td>Bodies</td>
            <td v-for="v in piece.versions" :key="v.n" class="right num">{{ v.surface.bodies }}</td>
          </tr>
          <tr>
            <td>Open edges</td>
            <td v-for="v in piece.versions" :key="v.n" class="right num">{{ v.surface.boundary_edges }}</td>
          </tr>
          <tr>
            <td>Turned edges</td>
            <td v-for="v in piece.versions" :key="v.n" class="right num">{{ v.surface.misoriented_edges }}</td>
          </tr>
          <tr>
            <td>Crossing pairs</td>
            <td v-for="v in piece.versions" :key="v.n" class="right num">{{ v.surface.crossing_pairs }}</td>
          </tr>
          <tr>
            <td>Volume</td>
            <td v-for="v in piece.versions" :key="v.n" class="right num">
              {{ f.number(v.surface.volume_mm3 / 1000, 2) }} cm³
            </td>
          </tr>
          <tr>
            <td>File</td>
            <td v-for="v in piece.versions" :key="v.n" class="right">
              <a :href="`/api/pieces/${piece.id}/file?version=${v.n}`">fetch</a>
            </td>
          </tr>
        </tbody>
      </table>
      <ul v-for="v in piece.versions.filter((x) => x.log.length)" :key="v.n" class="small log">
        <li v-for="d in v.log" :key="d.step">{{ d.text }}</li>
      </ul>
    </section>

    <PieceFile v-if="open" :job="job" :piece="piece" />

    <dl v-if="piece.gcode" class="program">
      <dt>G-code</dt>
      <dd>
        <span class="num">{{ f.number(piece.gcode.lines) }}</span> lines,
        <span class="num">{{ piece.gcode.layers }}</span> layers
      </dd>
      <dt>Layer height</dt>
      <dd class="num">
        {{ f.number(piece.gcode.layer_mm, 2) }} mm, first {{ f.number(piece.gcode.first_layer_mm, 2) }} mm
      </dd>
      <dt>At its quickest</dt>
      <dd class="num">{{ f.duration(piece.gcode.seconds) }}</dd>
      <dt>Filament</dt>
      <dd class="num">{{ f.metres(piece.gcode.filament_mm / 1000) }}</dd>
      <dt>Hottest</dt>
      <dd class="num">
        nozzle {{ f.number(piece.gcode.nozzle_max_c) }} °C, bed {{ f.number(piece.gcode.bed_max_c) }} °C
      </dd>
      <dt>First layer</dt>
      <dd class="num">up to {{ f.number(piece.gcode.first_mm_per_s) }} mm/s</dd>
      <dt>Fastest line</dt>
      <dd class="num">{{ f.number(piece.gcode.max_mm_per_s) }} mm/s</dd>
    </dl>
  </div>
</template>

<style scoped>
.care {
  display: grid;
  gap: 8px;
}
.box {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 8px 10px;
  background: var(--card);
  display: grid;
  gap: 6px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
}
.steps {
  display: grid;
  gap: 3px;
  justify-items: start;
}
.steps label {
  display: flex;
  gap: 7px;
}
.link {
  text-decoration: underline;
  color: var(--accent) !important;
}
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 6px;
}
.log {
  padding-left: 18px;
}
.versions .ledger td {
  padding: 2px 8px;
}
.program {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 1px 12px;
  font-size: 0.92rem;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  white-space: normal;
}
</style>
