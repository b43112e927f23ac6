<script setup lang="ts">
import { computed, nextTick, ref, shallowRef, watch } from 'vue'
import type { JobFinding, JobView, Overhang, SliceView } from '../api/client'
import { useRoute, useRouter } from 'vue-router'
import { useAdvance, useApprove, useJob, useShelf, useTakeBack, useWho, useWithdraw } from '../api/queries'
import AnswerLine from '../components/AnswerLine.vue'
import CheckProgress from '../components/CheckProgress.vue'
import FindingList from '../components/FindingList.vue'
import JobPast from '../components/JobPast.vue'
import JobTalk from '../components/JobTalk.vue'
import JobUse from '../components/JobUse.vue'
import MachineLadder from '../components/MachineLadder.vue'
import OrientationPanel from '../components/OrientationPanel.vue'
import HeightStrip from '../components/HeightStrip.vue'
import LayersPanel from '../components/LayersPanel.vue'
import PartView from '../components/PartView.vue'
import type { CameraView, Stand } from '../components/partScene'
import PieceCare from '../components/PieceCare.vue'
import PieceMeasures from '../components/PieceMeasures.vue'
import PlatePanel from '../components/PlatePanel.vue'
import PriceSum from '../components/PriceSum.vue'
import RoomState from '../components/RoomState.vue'
import WayLadder from '../components/WayLadder.vue'
import SettingsPanel from '../components/SettingsPanel.vue'
import { kindColours } from '../components/lineKinds'
import { useWords } from '../components/repair'
import { boxLines, middle } from '../components/overhangs'
import { useAnswering } from '../composables/answering'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { useLayers } from '../composables/layers'
import { usePointing } from '../composables/pointing'
import { useRoomTitle } from '../composables/title'

const f = useFormats()
const route = useRoute()
const router = useRouter()
const shelf = useShelf()
const approve = useApprove()
const who = useWho()
const advance = useAdvance()
const takeBack = useTakeBack()
const withdraw = useWithdraw()

const jobs = computed(() => shelf.data.value?.slips ?? [])
const id = computed(() => (route.params.id ? Number(route.params.id) : jobs.value[0]?.id))
const query = useJob(id)
const known = computed(() => (query.data.value?.id === id.value ? query.data.value : undefined))
const job = computed(() => (query.isPlaceholderData.value ? undefined : known.value))
const { may, answerIt } = useAnswering('Bench', job)
useRoomTitle('Bench', () => known.value?.title)
const desk = computed(() => who.data.value?.role !== 'member')
const picked = ref<number>()
watch(id, () => {
  picked.value = undefined
})
const row = computed(() => {
  const l = job.value?.ladder ?? []
  return l.find((r) => r.machine_id === (picked.value ?? job.value?.machine_id)) ?? l.find((r) => r.proposed) ?? l[0]
})
const slice = shallowRef<SliceView>()
const plate = ref(1)
watch(
  () => slice.value?.id,
  () => (plate.value = 1),
)
// What is looked at stays in view when another machine becomes the first to be done.
watch(slice, (s) => {
  if (s) picked.value ??= s.machine_id
})
const { at: layer, height, goTo, shown: layerShown, kinds, toggle, play, playing } = useLayers(slice, plate)
// Of a plate that is like an earlier one, the layers are that one's.
const strip = computed(() => {
  const all = slice.value?.plates ?? []
  const p = all.find((x) => x.n === plate.value)
  return (p?.alike ? all.find((x) => x.n === p.alike) : p)?.by_layer ?? []
})
// A second variant stands beside, at the same height, seen from the same side.
const beside = shallowRef<SliceView>()
const second = useLayers(beside)
const view = ref<CameraView>()
watch([height, second.layers], () => height.value !== undefined && second.goTo(height.value))
watch(kinds, (k) => (second.kinds.value = k))
const besideRow = computed(() => job.value?.ladder.find((r) => r.machine_id === beside.value?.machine_id))
function titled(s: SliceView | undefined) {
  if (!s) return undefined
  const name = s.label || (s.overrides.length || s.support_marks?.length ? `variant ${s.id}` : 'house recipe')
  const takes = `${f.value.duration(s.full?.seconds ?? 0)}, ${f.value.grams(s.full?.grams ?? 0)}`
  return `${name} on ${s.machine}: ${takes}`.replace(/(\d) /g, '$1\u00a0')
}
const { kinds: kindNames } = useWords()
const usedKinds = computed(() =>
  kindNames.value
    .map((name, k) => ({ name, k, colour: kindColours[k] }))
    .filter(({ name }) => name !== 'purge' || slice.value?.full?.grams_purge),
)
// A place that hangs is shown as a box about it, at its layer.
const overhang = ref<Overhang>()
function look(r: Overhang) {
  overhang.value = overhang.value === r ? undefined : r
  if (!overhang.value) return
  const shown = slice.value?.plates.find((p) => p.n === plate.value)
  if (!shown?.spots.some(ofPiece)) plate.value = slice.value?.plates.find((p) => p.spots.some(ofPiece))?.n ?? 1
  goTo(r.min_mm[2] ?? 0)
}
// It is shown on the first copy that lies on the plate looked at.
const ofPiece = (s: { piece_id: number }) => s.piece_id === piece.value?.id
const firstSpot = computed(() => {
  const s = slice.value?.plates.find((p) => p.n === plate.value)?.spots.find(ofPiece)
  return s ? { x: s.x_mm, y: s.y_mm } : undefined
})
watch(
  () => slice.value?.id,
  () => (overhang.value = undefined),
)
const { piece, choose, nextPiece, nextFinding, finding, show, marks, place, stamp } = usePointing(job)
// What was looked at of another piece goes; the slice desk gives what there is of this one.
watch(
  () => piece.value?.id,
  () => {
    slice.value = beside.value = overhang.value = undefined
  },
)
// What was found is shown on the part, or in the layer that it lies in.
const inLayer = ref(false)
function showIt(x: JobFinding, k: number) {
  inLayer.value = false
  show(x, k)
}
function showInLayer(x: JobFinding, k: number) {
  show(x, k)
  overhang.value = undefined
  inLayer.value = true
  goTo(x.heights_mm?.[k] ?? 0)
}
function nextFound(layer: boolean) {
  nextFinding()
  inLayer.value = layer && !!layerShown.value
  if (inLayer.value) goTo(finding.value?.heights_mm?.[0] ?? 0)
}
const foundAt = computed(
  () => job.value?.findings.filter((x) => x.piece_id === piece.value?.id).flatMap((x) => x.heights_mm ?? []) ?? [],
)
const overhangMarks = computed(() =>
  overhang.value && !finding.value ? { check: 'overhangs', lines: boxLines(overhang.value.corners_mm) } : undefined,
)
// Places that are to be filled otherwise are drawn as boxes while they are asked for.
const placeMarks = computed(() => {
  const of = panel.value === 'Settings' && !finding.value ? (settings.value?.boxes ?? []) : []
  return of.length ? { check: 'places', lines: of.flatMap((corners) => boxLines(corners)) } : undefined
})
const overhangPlace = computed(() => (overhang.value && !finding.value ? middle(overhang.value.corners_mm) : undefined))
// At the right one panel at a time.
const panels = ['Ladder', 'Orientation', 'Plate', 'Settings', 'Layers', 'Past'] as const
const panel = ref<(typeof panels)[number]>('Layers')
const panelKey = { Ladder: 'g', Orientation: 'o', Plate: 'q', Settings: 'a', Layers: 'v', Past: 'i' }
const orientation = ref<InstanceType<typeof OrientationPanel>>()
const settings = ref<InstanceType<typeof SettingsPanel>>()
// A click in the view picks a face to rest on, or a place to be filled otherwise.
const preview = ref<Stand>()
const picking = ref(false)
const placing = ref(false)
watch(picking, (on) => on && (placing.value = false))
watch(placing, (on) => on && (picking.value = false))
function clicked(out: [number, number, number], spot: [number, number, number]) {
  if (placing.value) settings.value?.place(spot)
  else orientation.value?.rest(out)
}
function openOrientation() {
  panel.value = 'Orientation'
  void nextTick(() => orientation.value?.focus())
}
function openSettings(focused: boolean) {
  panel.value = 'Settings'
  if (!focused) void nextTick(() => settings.value?.focus())
}
// The part stands as in the slice that is looked at, else as the piece does.
const layerInView = computed(() =>
  (finding.value && !inLayer.value) || panel.value === 'Orientation' || placing.value ? undefined : layerShown.value,
)
const stand = computed(
  () => preview.value ?? (layerInView.value ? slice.value?.stand : undefined) ?? piece.value?.orientation?.stand,
)
const turnDeg = computed(() =>
  layerInView.value ? slice.value?.plates.flatMap((p) => p.spots).find(ofPiece)?.turn_deg : undefined,
)
const canApprove = computed(
  () => desk.value && job.value?.may.approve && row.value?.takes && !row.value.stale && !job.value.to_answer,
)
const nextIs: Record<NonNullable<JobView['may']['next']>, string> = {
  'its run starts': 'Start it at its machine',
  'its run ends': 'See to it at its machine',
  'ready to be fetched': 'Ready to be fetched',
  fetched: 'It has been fetched',
}

function queue() {
  if (!canApprove.value || !job.value || !row.value) return
  approve.mutate({
    id: job.value.id,
    revision: job.value.revision,
    title: job.value.title,
    machine: row.value.name,
    machine_id: row.value.machine_id,
    sliced: !row.value.ceiling,
  })
}
function go(d: number) {
  const i = jobs.value.findIndex((s) => s.id === id.value)
  const s = jobs.value[i + d]
  if (s) void router.replace(`/bench/${s.id}`)
}
function nextMachine() {
  const l = job.value?.ladder ?? []
  const i = l.findIndex((r) => r.machine_id === row.value?.machine_id)
  picked.value = l[(i + 1) % l.length]?.machine_id
}

const placed = computed(() => job.value?.findings.filter((x) => x.places?.length) ?? [])
function stepOn() {
  const run = job.value?.runs[0]
  if (run && /^its run/.test(job.value?.may.next ?? '')) return void router.push(`/machine/${run.machine_id}`)
  if (job.value) advance.mutate({ id: job.value.id, revision: job.value.revision })
}
function unsay() {
  if (job.value) takeBack.mutate({ id: job.value.id, revision: job.value.revision, title: job.value.title })
}

useKeys('Bench', [
  { key: 'm', does: 'Show it on the next machine', run: nextMachine },
  { key: 'g', does: 'The machine ladder', run: () => (panel.value = 'Ladder') },
  { key: 'v', does: 'The layers, and what was sliced', run: () => (panel.value = 'Layers') },
  { key: 'i', does: 'Runs and history', run: () => (panel.value = 'Past') },
  { key: 'y', does: 'Yes: queue it on the machine shown', run: queue, when: () => !!canApprove.value },
  { key: 'j', does: 'Next job', run: () => go(1) },
  { key: 'k', does: 'Job before', run: () => go(-1) },
  { key: 'p', does: 'Play along the layer’s way, or stop', run: play, when: () => !!layerShown.value },
  { key: 's', does: 'Tell the next step of it', run: stepOn, when: () => desk.value && !!job.value?.may.next },
  { key: 'z', does: 'Take the yes back', run: unsay, when: () => desk.value && !!job.value?.may.take_back },
  { key: 'x', does: 'Look at the next piece', run: nextPiece, when: () => (job.value?.piece_set.length ?? 0) > 1 },
  {
    key: 'e',
    does: 'Show the evidence of the next finding',
    run: () => nextFound(false),
    when: () => placed.value.length > 0,
  },
  {
    key: 'Shift+e',
    does: 'Show the next finding in its layer',
    run: () => nextFound(true),
    when: () => placed.value.length > 0 && !!layerShown.value,
  },
  { key: 'c', does: 'To the counter', run: () => void router.push(`/counter/${id.value}`), when: () => desk.value },
])
</script>

<template>
  <div v-if="job" class="bench">
    <header>
      <h1>
        {{ job.title }} <span class="quiet num no">#{{ job.id }}</span>
      </h1>
      <span>{{ job.member }}</span><span>{{ job.purpose }}</span
      ><span class="tag">{{ job.state }}</span>
      <span v-if="job.needed_by">needed by {{ f.day(job.needed_by) }}</span>
      <span v-if="job.runs[0]?.start" class="num">{{ f.moment(job.runs[0].start) }} → {{ f.moment(job.finish) }}</span>
      <span class="spring" />
      <v-btn v-if="desk && job.may.take_back" id="take-back" size="small" variant="text" @click="unsay"
        >Take the yes back</v-btn
      >
      <v-btn
        v-if="job.may.withdraw"
        id="withdraw"
        size="small"
        variant="text"
        @click="withdraw.mutate({ id: job.id, revision: job.revision, title: job.title, reason: '' })"
        >Withdraw it</v-btn
      >
      <v-btn v-if="desk && job.may.next" size="small" class="act" @click="stepOn">{{ nextIs[job.may.next] }}</v-btn>
    </header>
    <section class="left">
      <p v-if="job.reason" class="told">“{{ job.reason }}”</p>
      <JobTalk :job="job" />
      <CheckProgress :job="job" />
      <JobUse :job="job" />
      <h2>Findings</h2>
      <FindingList
        :findings="job.findings"
        :several="job.piece_set.length > 1"
        :chosen="finding"
        :layers="!!layerShown"
        @show="showIt"
        @piece="choose"
        @layer="showInLayer"
        :answers="may"
        @answer="(x, reason) => answerIt(x, reason)"
      />
      <PieceCare v-if="piece" class="care" :job="job" :piece="piece" :may-repair="desk" />
      <h2>Measured</h2>
      <div v-if="job.piece_set.length > 1" class="tabs">
        <button
          v-for="p in job.piece_set"
          :key="p.id"
          type="button"
          :aria-pressed="p.id === piece?.id"
          @click="choose(p.id)"
        >
          {{ p.name }}
        </button>
      </div>
      <PieceMeasures v-if="piece" :piece="piece" />
    </section>
    <section class="middle" aria-label="The part on its plate">
      <div class="pinned">
        <div v-if="piece?.viewable" class="views" :class="{ two: beside }">
          <PartView
            v-model:view="view"
            :piece-id="piece.id"
            :row="row"
            :stand="stand"
            :turn-deg="turnDeg"
            :picking="picking || placing"
            :pull="panel === 'Orientation' ? piece.load : undefined"
            :stamp="stamp"
            :evidence="overhangMarks ?? placeMarks ?? marks"
            :place="overhangPlace ?? place"
            :check="finding?.check"
            :at="overhangPlace || ((placeMarks || inLayer) && layerInView) ? firstSpot : undefined"
            :layer="layerInView"
            :caption="beside ? titled(slice) : undefined"
            @face="clicked"
          />
          <PartView
            v-if="beside"
            v-model:view="view"
            class="second"
            :piece-id="piece.id"
            :row="besideRow"
            :stand="beside.stand"
            :turn-deg="beside.plates.flatMap((p) => p.spots).find(ofPiece)?.turn_deg"
            :stamp="stamp"
            :layer="second.shown.value"
            follows
            :caption="titled(beside)"
          />
        </div>
        <p v-else class="nothing quiet">
          {{
            piece?.problem
              ? 'There is nothing to show: the file cannot be read.'
              : piece?.gcode
                ? 'This is G-code sliced elsewhere; its layers are listed at the left.'
                : 'The part is shown when it has been read.'
          }}
        </p>
        <div v-if="slice?.full && layerShown" class="below">
          <div class="toggles small">
            <label v-for="{ name, colour, k } in usedKinds" :key="k"
              ><input type="checkbox" :checked="kinds.has(k)" @change="toggle(k)" /><span
                class="swatch"
                :style="{ background: colour }"
              />{{ name }}</label
            >
            <button type="button" class="play" @click="play">{{ playing ? 'Stop' : 'Play' }} <kbd>P</kbd></button>
          </div>
          <HeightStrip v-model="layer" :strip="strip" :found="foundAt" />
        </div>
      </div>
    </section>
    <section class="rightside" aria-label="Panels">
      <v-tabs v-model="panel" density="compact" class="panels">
        <v-tab v-for="p in panels" :key="p" :value="p" size="small"
          >{{ p }} <kbd class="on">{{ panelKey[p].toUpperCase() }}</kbd></v-tab
        >
      </v-tabs>
      <div v-show="panel === 'Ladder'" class="panel">
        <MachineLadder :rows="job.ladder" :chosen="row?.machine_id" look @choose="picked = $event" />
        <WayLadder :job="job" :beside="row" @choose="picked = $event" />
        <PriceSum v-if="row" :row="row" />
      </div>
      <div v-show="panel === 'Orientation'" class="panel">
        <OrientationPanel
          v-if="piece?.orientation"
          ref="orientation"
          v-model:picking="picking"
          v-model:preview="preview"
          :job="job"
          :piece="piece"
          :row="row"
          :may="desk"
          :elsewhere="panel === 'Settings' || panel === 'Plate'"
          @open="openOrientation"
        />
        <p v-else class="quiet">There is no model here to turn.</p>
      </div>
      <div v-show="panel === 'Plate'" class="panel">
        <PlatePanel
          v-if="piece?.surface.triangles"
          v-model:plate="plate"
          :job="job"
          :piece="piece"
          :row="row"
          :slice="slice"
          :may="desk && job.may.decide"
          :seen="panel === 'Plate'"
          @open="panel = 'Plate'"
        />
      </div>
      <div v-show="panel === 'Settings'" class="panel">
        <SettingsPanel
          v-if="piece?.surface.triangles"
          ref="settings"
          v-model:picking="placing"
          :job="job"
          :piece="piece"
          :row="row"
          :slice="slice"
          :may="desk && job.may.decide"
          :seen="panel === 'Settings'"
          @open="openSettings"
          @sliced="panel = 'Layers'"
        />
        <p v-else class="quiet">There is no model here to slice.</p>
      </div>
      <div v-show="panel === 'Layers'" class="panel">
        <LayersPanel
          v-if="piece?.surface.triangles"
          v-model="slice"
          v-model:beside="beside"
          v-model:plate="plate"
          :job="job"
          :piece="piece"
          :row="row"
          :draft="settings?.draft"
          :may="desk && job.may.decide"
          @look="look"
          @mark="(o, putIn) => settings?.mark(o, putIn)"
        />
        <p v-else class="quiet">There is no model here to slice.</p>
      </div>
      <div v-show="panel === 'Past'" class="panel">
        <JobPast :job="job" :desk="desk" />
      </div>
    </section>
    <AnswerLine class="foot" :job="job" :row="row">
      <v-btn v-if="desk && job.may.decide" color="primary" variant="flat" :disabled="!canApprove" @click="queue"
        >Yes, queue it on {{ row?.name }} <kbd class="on">Y</kbd></v-btn
      >
    </AnswerLine>
  </div>
  <div v-else-if="shelf.data.value && id === undefined" class="empty">
    <h1>Bench</h1>
    <p>The bench is empty. Hand in a model with <kbd>H</kbd>.</p>
  </div>
  <RoomState
    v-else
    :data="undefined"
    :error="id === undefined ? shelf.error.value : query.error.value"
    :what="id === undefined ? 'the shelf' : known ? `${known.title}, for ${known.member}` : 'this job'"
    missing="This job is not there, or not yours to see."
    @again="id === undefined ? shelf.refetch() : query.refetch()"
  />
</template>

<style scoped>
.bench {
  display: grid;
  grid-template:
    'head head head' auto 'left middle right' minmax(0, 1fr) 'foot foot foot' auto / 250px minmax(300px, 1fr)
    486px;
  height: calc(100vh - 54px);
  min-height: 560px;
}
header {
  grid-area: head;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  align-items: center;
  padding: 10px 18px;
  border-bottom: 1px solid var(--rule);
}
.spring {
  flex: 1;
}
.no {
  font-weight: 400;
  font-size: 0.9em;
}
.tag {
  border: 1.5px solid var(--ink);
  padding: 0 8px;
  border-radius: 3px;
  font-weight: 600;
}
.left {
  grid-area: left;
  padding: 12px 10px 12px 18px;
  overflow-y: auto;
}
.left h2:not(:first-child) {
  margin-top: 16px;
}
.left h2 {
  margin-bottom: 6px;
}
.care:not(:empty) {
  margin-top: 12px;
}
.middle {
  grid-area: middle;
  min-width: 0;
  border-left: 1px solid var(--rule);
  border-right: 1px solid var(--rule);
  background: var(--paper);
}
.pinned {
  display: grid;
  grid-template-rows: minmax(0, 1fr) auto;
  height: 100%;
  min-height: 0;
}
.views {
  display: grid;
  min-height: 0;
}
.views.two {
  grid-template-columns: 1fr 1fr;
}
.second {
  border-left: 1px solid var(--rule);
}
.toggles {
  display: flex;
  flex-wrap: wrap;
  gap: 1px 12px;
  padding: 4px 10px;
  border-top: 1px solid var(--rule);
  background: var(--card);
}
.toggles label {
  min-height: 25px;
  display: flex;
  gap: 4px;
  align-items: center;
}
.swatch {
  width: 14px;
  height: 10px;
  border: 1px solid var(--ink);
}
.play {
  margin-left: auto;
}
.nothing {
  place-self: center;
  max-width: 30ch;
  text-align: center;
}
.rightside {
  grid-area: right;
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  min-height: 0;
}
.panels {
  border-bottom: 1px solid var(--rule);
}
.panels :deep(.v-tab) {
  min-width: 0;
  padding: 0 6px;
  font-size: 0.82rem;
}
.panels .on {
  margin-left: 4px;
  min-width: 0;
  padding: 0 3px;
}
.panel {
  padding: 12px 18px 12px 12px;
  overflow-y: auto;
  min-height: 0;
}
.foot {
  grid-area: foot;
}
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 8px;
}
.tabs {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  margin-bottom: 6px;
}
.tabs button {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 0 8px;
}
.tabs button[aria-pressed='true'] {
  border-color: var(--ink);
  font-weight: 600;
}
.empty {
  padding: 40px;
}
@media (max-width: 1180px) {
  .bench {
    grid-template:
      'head head' auto 'middle right' minmax(0, 5fr) 'left right' minmax(0, 2fr) 'foot foot' auto / minmax(0, 1fr)
      484px;
  }
  .middle {
    border-left: none;
    border-bottom: 1px solid var(--rule);
  }
  .rightside {
    border-left: 1px solid var(--rule);
  }
}
@media (max-width: 860px) {
  .bench {
    grid-template: 'head' auto 'middle' auto 'right' auto 'left' auto 'foot' auto / minmax(0, 1fr);
  }
  .bench {
    height: auto;
  }
  .pinned {
    grid-template-rows: minmax(300px, 48vh) auto;
  }
  .middle {
    border: none;
  }
  .rightside,
  .left {
    border: none;
    overflow-x: auto;
  }
  .foot {
    position: sticky;
    bottom: 0;
  }
}
</style>
