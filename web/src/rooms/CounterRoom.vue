<script setup lang="ts">
import { computed, nextTick, reactive, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { JobFinding, PieceView, Slip } from '../api/client'
import {
  useApprove,
  useAsk,
  useCancelCheck,
  useCheckAgain,
  useJob,
  useRepairAll,
  useSendBack,
  useShelf,
  useSoon,
  type Condition,
} from '../api/queries'
import ArrivalList from '../components/ArrivalList.vue'
import ConditionsForm from '../components/ConditionsForm.vue'
import CheckProgress from '../components/CheckProgress.vue'
import FindingList from '../components/FindingList.vue'
import GradeMark from '../components/GradeMark.vue'
import JobTalk from '../components/JobTalk.vue'
import JobUse from '../components/JobUse.vue'
import MachineLadder from '../components/MachineLadder.vue'
import PartView from '../components/PartView.vue'
import PieceCare from '../components/PieceCare.vue'
import RoutinePanel from '../components/RoutinePanel.vue'
import RoomState from '../components/RoomState.vue'
import WayLadder from '../components/WayLadder.vue'
import { useAnswering } from '../composables/answering'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { usePointing } from '../composables/pointing'
import { useRoomTitle } from '../composables/title'
import { useUnsaved } from '../composables/unsaved'

const f = useFormats()
const shelf = useShelf()
const route = useRoute()
const router = useRouter()
const approve = useApprove()
const sendBack = useSendBack()
const ask = useAsk()

const arrivals = computed(() => {
  const due = (s: Slip) => s.needed_by ?? '9999'
  return (shelf.data.value?.slips ?? [])
    .filter((s) => s.may.change)
    .sort((a, b) => Number(!!a.asked) - Number(!!b.asked) || due(a).localeCompare(due(b)) || a.id - b.id)
})
const id = computed(() => (route.params.id ? Number(route.params.id) : arrivals.value[0]?.id))
const at = computed(() => arrivals.value.findIndex((s) => s.id === id.value))
const query = useJob(id)
const known = computed(() => (query.data.value?.id === id.value ? query.data.value : undefined))
const job = computed(() => (query.isPlaceholderData.value ? undefined : known.value))
useSoon(() => arrivals.value[at.value + 1]?.id)
useRoomTitle('Counter', () => known.value?.title)

// The machine is the proposed one until another is chosen for this job.
const picked = ref<number>()
const saysNo = ref(false)
// What is being written to a member stays with the job, whatever is looked at meanwhile.
const reasons = reactive(new Map<number, string>())
const reason = computed({
  get: () => reasons.get(id.value ?? 0) ?? '',
  set: (text) => void reasons.set(id.value ?? 0, text),
})
const reasonField = ref<{ focus(): void }>()
watch(id, () => {
  picked.value = undefined
  saysNo.value = reason.value !== ''
})
useUnsaved(
  () => 'the message to the member',
  () => saysNo.value && reason.value.trim() !== '',
)
const takers = computed(() => job.value?.ladder.filter((r) => r.takes) ?? [])
const row = computed(
  () => takers.value.find((r) => r.machine_id === picked.value) ?? takers.value.find((r) => r.proposed),
)
const stopped = computed(() => job.value?.stopped ?? false)
// What is found on the whole job is of the machine that is meant.
const onOther = computed(() =>
  row.value?.proposed ? undefined : job.value?.elsewhere.find((e) => e.machine_id === row.value?.machine_id),
)
const grades = ['stops it', 'decide', 'worth knowing']
const found = computed(() => {
  const all = job.value?.findings ?? []
  if (!onOther.value) return all
  return [...onOther.value.findings, ...all.filter((x) => x.piece_id)].sort(
    (a, b) => grades.indexOf(a.grade) - grades.indexOf(b.grade),
  )
})
const toAnswer = computed(() => onOther.value?.to_answer ?? job.value?.to_answer ?? 0)
const stoppedThere = computed(() => found.value.some((x) => x.grade === 'stops it' && !x.key))
const { may, answerIt } = useAnswering('Counter', job, found)
const decidable = computed(() => !!job.value?.may.decide && job.value.check.state === 'done')
const canApprove = computed(
  () =>
    !!job.value?.may.approve &&
    !!row.value &&
    !row.value.stale &&
    !toAnswer.value &&
    !stoppedThere.value &&
    !approve.isPending.value,
)
/** Why there is no verdict to say yes to. */
const verdictLine: Record<Slip['check']['state'], string> = {
  queued: 'The verdict comes when the check is through.',
  running: 'The verdict comes when the check is through.',
  done: '',
  failed: 'A file cannot be read; see below. Send it back, or ask for another.',
  cancelled: 'The check was cancelled, so there is no verdict.',
  'set aside': 'The check was set aside, so there is no verdict.',
}
const { piece, choose, nextPiece, nextFinding, finding, show, marks, place, stamp } = usePointing(job)
const onPlate = computed(() => row.value ?? job.value?.ladder.find((r) => r.in_service))

function go(to: number) {
  const s = arrivals.value[Math.min(arrivals.value.length - 1, Math.max(0, to))]
  if (s) void router.replace(`/counter/${s.id}`)
}

/** Does a deed, and then the next arrival comes up by itself. */
async function decide(deed: Promise<unknown>) {
  const next = arrivals.value[at.value + 1] ?? arrivals.value[at.value - 1]
  try {
    await deed
  } catch {
    return // the refusal has been said; stay with the job
  }
  saysNo.value = false
  await router.replace(next ? `/counter/${next.id}` : '/counter')
  toHeading()
}

/** Where something that had the focus goes, it goes to what is looked at. */
const heading = ref<HTMLElement>()
const toHeading = () => void nextTick(() => heading.value?.focus({ preventScroll: true }))

function yes() {
  if (!canApprove.value || !job.value || !row.value) return
  const { id, revision, title } = job.value
  void decide(
    approve.mutateAsync({
      id,
      revision,
      title,
      machine: row.value.name,
      machine_id: row.value.machine_id,
      sliced: !row.value.ceiling,
    }),
  )
}

// A yes on conditions, and one to all routine ones.
const onConditions = ref(false)
watch(id, () => (onConditions.value = false))
const together = ref(false)
function yesIf(conditions: Condition[], more: number) {
  if (!canApprove.value || !job.value || !row.value) return
  const { id, revision, title } = job.value
  const { name: machine, machine_id } = row.value
  void decide(
    approve.mutateAsync({ id, revision, title, machine, machine_id, sliced: false, conditions, more_percent: more }),
  ).then(() => (onConditions.value = false))
}
function leaveConditions() {
  onConditions.value = false
  toHeading()
}

function no() {
  if (!job.value?.may.send_back) return
  saysNo.value = true
  reason.value ||= job.value.messages[0]?.text ?? ''
  void nextTick(() => reasonField.value?.focus())
}

function noBecause(x: JobFinding) {
  no()
  reason.value = job.value?.messages.find((a) => a.about === x.check)?.text ?? x.text
}

function send() {
  if (!job.value) return
  const { id, revision, title } = job.value
  void decide(sendBack.mutateAsync({ id, revision, title, reason: reason.value }).then(() => void reasons.delete(id)))
}

function askIt() {
  if (!job.value) return
  const { id, revision, title } = job.value
  void decide(ask.mutateAsync({ id, revision, title, text: reason.value }).then(() => void reasons.delete(id)))
}

function nextMachine() {
  const i = takers.value.findIndex((r) => r.machine_id === row.value?.machine_id)
  picked.value = takers.value[(i + 1) % takers.value.length]?.machine_id
}

function leaveMessage() {
  saysNo.value = false
  reasons.delete(id.value ?? 0)
  toHeading()
}
const care = ref<InstanceType<typeof PieceCare>>()
/** Of the piece looked at, or of the first that has something to be done about. */
function careFor(has: (p: PieceView) => boolean, then: () => void) {
  const all = job.value?.piece_set ?? []
  const p = piece.value && has(piece.value) ? piece.value : all.find(has)
  if (!p) return
  if (p.id !== piece.value?.id) choose(p.id)
  void nextTick(then)
}
const repairAll = useRepairAll()
function mendAll() {
  if (!job.value || repairAll.isPending.value) return
  const { id, revision, piece_set } = job.value
  repairAll.mutate({ id, revision, pieces: piece_set.filter((p) => p.mend.length).length })
}
const cancel = useCancelCheck()
const again = useCheckAgain()
function checkOrNot() {
  if (!job.value) return
  const busy = ['queued', 'running'].includes(job.value.check.state)
  ;(busy ? cancel : again).mutate(job.value.id)
}
useKeys('Counter', [
  { key: 'ArrowDown', does: 'Next arrival', run: () => go(at.value + 1) },
  { key: 'ArrowUp', does: 'Arrival before', run: () => go(at.value - 1) },
  { key: 'y', does: 'Yes: approve on the chosen machine', run: yes },
  {
    key: 'Shift+y',
    does: 'Yes, on conditions',
    run: () => (onConditions.value = true),
    when: () => canApprove.value,
  },
  { key: 'g', does: 'Approve the routine ones together', run: () => (together.value = true) },
  { key: 'n', does: 'No: send back with a message', run: no },
  { key: 'm', does: 'Choose the next machine', run: nextMachine, when: () => takers.value.length > 1 },
  {
    key: 'r',
    does: 'Repair: choose the steps',
    run: () =>
      careFor(
        (p) => p.mend.length > 0,
        () => void care.value?.ask(),
      ),
    when: () => !!job.value?.piece_set.some((p) => p.mend.length),
  },
  {
    key: 'Shift+r',
    does: 'Repair all pieces, as is advised',
    run: mendAll,
    when: () => !!job.value?.may.change && !!job.value?.piece_set.some((p) => p.mend.length),
  },
  {
    key: 'u',
    does: 'Say which unit',
    run: () =>
      careFor(
        (p) => p.unit_proposals.length > 0,
        () => care.value?.unit(),
      ),
    when: () => !!job.value?.piece_set.some((p) => p.unit_proposals.length),
  },
  { key: 'x', does: 'Look at the next piece', run: nextPiece, when: () => (job.value?.piece_set.length ?? 0) > 1 },
  { key: 'a', does: 'Check again, or cancel the check', run: checkOrNot, when: () => !!job.value?.may.change },
  {
    key: 'e',
    does: 'Show the evidence of the next finding',
    run: nextFinding,
    when: () => !!job.value?.findings.some((x) => x.places?.length),
  },
  { key: 'b', does: 'Open on the bench', run: () => void (id.value && router.push(`/bench/${id.value}`)) },
  { key: 'Escape', does: 'Leave the message', run: leaveMessage, when: () => saysNo.value },
])
</script>

<template>
  <div class="counter">
    <aside aria-label="Arrivals">
      <h1>Counter</h1>
      <p class="quiet small">{{ arrivals.length }} to look at, soonest needed first. <kbd>↑</kbd> <kbd>↓</kbd></p>
      <button type="button" class="together small" @click="together = true">
        Approve the routine ones together <kbd>G</kbd>
      </button>
      <RoutinePanel v-if="together" v-model="together" />
      <ArrivalList :slips="arrivals" :here="id" />
    </aside>

    <!-- The key is a word: a bare number would meet the numbers that Vue gives the other branches. -->
    <section v-if="job" :key="`job-${job.id}`" class="verdict" :aria-label="job.title">
      <header>
        <div class="who">
          <h1 ref="heading" tabindex="-1">
            {{ job.title }} <span class="quiet num no">#{{ job.id }}</span>
          </h1>
          <p>
            {{ job.member }}, <strong>{{ job.purpose }}</strong><template v-if="job.pieces > 1"
              >, {{ job.pieces }} pieces</template
            ><template v-if="job.needed_by">, needed by {{ f.day(job.needed_by) }}</template>
          </p>
          <p v-if="job.wish" class="wish">“{{ job.wish }}”</p>
          <JobUse :job="job" />
          <JobTalk :job="job" />
          <p v-if="piece?.surface.triangles" class="small quiet">
            <span class="num">{{ piece.surface.size_mm.map((v) => f.number(v, 1)).join(' × ') }} mm</span> ·
            <span class="num">{{ f.number(piece.surface.volume_mm3 / 1000, 2) }} cm³</span> ·
            <span class="num">{{ f.number(piece.surface.triangles) }}</span> triangles · {{ piece.surface.bodies }}
            {{ piece.surface.bodies === 1 ? 'body' : 'bodies' }} · {{ piece.surface.closed ? 'closed' : 'open' }} ·
            {{ piece.name }}
          </p>
          <div v-if="job.piece_set.length > 1" class="pieces small" role="group" aria-label="Pieces">
            <button
              v-for="p in job.piece_set"
              :key="p.id"
              type="button"
              :aria-pressed="p.id === piece?.id"
              @click="choose(p.id)"
            >
              <img
                v-if="p.pictured"
                :src="`/api/pieces/${p.id}/picture?version=${p.current}`"
                alt=""
                width="40"
                height="30"
              />
              <span class="nm">{{ p.name }}</span> <span v-if="p.copies > 1" class="num">× {{ p.copies }}</span>
              <GradeMark
                v-if="job.findings.some((x) => x.piece_id === p.id)"
                :grade="job.findings.find((x) => x.piece_id === p.id)!.grade"
              />
            </button>
          </div>
          <CheckProgress :job="job" />
        </div>
      </header>

      <section class="answer" aria-label="Decision">
        <div v-if="decidable" class="proposal">
          <template v-if="row && !stopped">
            <p class="big">
              <strong>{{ row.name }}</strong>, done <span class="num">{{ f.moment(row.finish) }}</span>
            </p>
            <p class="num">
              {{ f.duration(row.seconds) }} · {{ f.grams(row.grams) }} · {{ f.money(row.price_cents)
              }}<template v-if="(row.plates ?? 1) > 1"> · {{ row.plates }} plates</template>
            </p>
            <p v-if="row.why" class="small why">◆ {{ row.why }}</p>
            <p v-if="row.load" class="small stale">▲ {{ row.load }}</p>
            <p v-if="row.short" class="small stale short">▲ {{ row.short }}</p>
            <p v-if="row.ceiling" class="small quiet ceiling">
              Not sliced yet: a yes is to no more than
              <span class="num"
                >{{ f.duration(row.ceiling.seconds) }}, {{ f.grams(row.ceiling.grams) }},
                {{ f.money(row.ceiling.price_cents) }}</span
              >
            </p>
            <p v-if="row.stale" class="stale">▲ {{ row.stale }}</p>
            <p v-if="toAnswer" class="stale">▲ {{ toAnswer }} to answer first, below <kbd class="on">W</kbd></p>
          </template>
          <p v-else-if="stopped" class="big">Something stops it; see below.</p>
          <p v-else class="big">No machine in service can take it.</p>
        </div>
        <p v-else-if="job.may.change" class="proposal big">{{ verdictLine[job.check.state] }}</p>
        <p v-else class="proposal big">
          This job is {{ job.state }}<template v-if="job.machine"> on {{ job.machine }}</template
          >.
        </p>
        <div class="acts">
          <v-btn
            id="yes"
            color="primary"
            variant="flat"
            size="large"
            :disabled="!canApprove && !approve.isPending.value"
            :loading="approve.isPending.value"
            @click="yes"
            >Yes, queue it <kbd class="on">Y</kbd></v-btn
          >
          <v-btn id="yes-if" size="large" :disabled="!canApprove" @click="onConditions = true"
            >Yes, if … <kbd class="on">⇧Y</kbd></v-btn
          >
          <v-btn id="no" :disabled="!job.may.send_back" size="large" @click="no">No <kbd class="on">N</kbd></v-btn>
          <v-btn variant="text" :to="`/bench/${job.id}`">On the bench <kbd class="on">B</kbd></v-btn>
        </div>
        <ConditionsForm
          v-if="onConditions && row"
          :key="job.id"
          :row="row"
          :purpose="job.purpose"
          :busy="approve.isPending.value"
          @yes="yesIf"
          @leave="leaveConditions"
        />
        <form v-if="saysNo" class="message" @submit.prevent="send">
          <div class="ready">
            <button v-for="a in job.messages" :key="a.about" type="button" @click="reason = a.text">
              {{ a.about }}
            </button>
          </div>
          <v-textarea
            ref="reasonField"
            v-model="reason"
            label="Message to the member"
            rows="3"
            auto-grow
            maxlength="2000"
            hint="Ctrl + Enter sends it"
            persistent-hint
            @keydown.esc.stop="leaveMessage"
            @keydown.ctrl.enter.prevent="reason.trim() && send()"
          />
          <v-btn
            type="submit"
            color="error"
            variant="flat"
            :disabled="!reason.trim()"
            :loading="sendBack.isPending.value"
            >Send back with this message</v-btn
          >
          <v-btn id="ask" :disabled="!reason.trim()" :loading="ask.isPending.value" @click="askIt"
            >Ask this, and wait</v-btn
          >
        </form>
      </section>

      <div class="below">
        <section class="looking">
          <div v-if="piece?.viewable" class="views" :class="{ two: piece.versions.length > 1 }">
            <figure v-if="piece.versions.length > 1 && piece.versions[0]!.viewable">
              <PartView :piece-id="piece.id" :row="onPlate" :version="1" :stamp="stamp" follows />
              <figcaption class="small quiet">As it came</figcaption>
            </figure>
            <figure>
              <PartView
                :piece-id="piece.id"
                :row="onPlate"
                :stand="piece.orientation?.stand"
                :stamp="stamp"
                :evidence="marks"
                :place="place"
                :check="finding?.check"
              />
              <figcaption v-if="piece.versions.length > 1" class="small quiet">
                {{ piece.current === 1 ? 'As it came, which counts' : `Version ${piece.current}, which counts` }}
              </figcaption>
            </figure>
          </div>
          <p v-if="piece?.orientation?.why" class="turned">
            <strong>Turned</strong> as it prints best: {{ piece.orientation.why }}.
          </p>
          <p v-else-if="piece?.orientation?.fixed" class="turned">
            <strong>Stands</strong> as somebody wants it,
            <span class="num">{{ piece.orientation.size_mm.map((v) => f.number(v, 1)).join(' × ') }} mm</span>.
          </p>
          <h2>Findings</h2>
          <FindingList
            :findings="found"
            :several="job.piece_set.length > 1"
            :chosen="finding"
            messages
            @show="show"
            @piece="choose"
            @message="noBecause"
            :answers="may"
            @answer="(x, reason) => answerIt(x, reason)"
          />
          <PieceCare v-if="piece" ref="care" :job="job" :piece="piece" may-repair />
        </section>
        <section>
          <MachineLadder :rows="job.ladder" :chosen="row?.machine_id" :locked="!decidable" @choose="picked = $event" />
          <WayLadder :job="job" :beside="row" @choose="picked = $event" />
        </section>
      </div>
    </section>
    <section v-else-if="shelf.data.value && !arrivals.length && !route.params.id" class="verdict empty">
      <h2>All decided</h2>
      <p>When a model is handed in it is checked and shows up here. <kbd>H</kbd> hands one in.</p>
    </section>
    <RoomState
      v-else
      class="verdict"
      :data="undefined"
      :error="id === undefined ? shelf.error.value : query.error.value"
      :what="id === undefined ? 'the shelf' : known ? `${known.title}, for ${known.member}` : 'this job'"
      @again="id === undefined ? shelf.refetch() : query.refetch()"
    />
  </div>
</template>

<style scoped>
.stale {
  color: var(--attention-words);
}
.counter {
  display: grid;
  grid-template-columns: 272px 1fr;
  min-height: calc(100vh - 54px);
}
aside {
  border-right: 1px solid var(--rule);
  padding: 14px 0 14px 18px;
  position: sticky;
  top: 54px;
  align-self: start;
  max-height: calc(100vh - 54px);
  overflow-y: auto;
}
.verdict {
  padding: 16px 22px 40px;
  min-width: 0;
}
header {
  display: flex;
  gap: 20px;
}
.no {
  font-weight: 400;
  font-size: 0.9em;
}
.wish {
  margin: 5px 0;
  max-width: 60ch;
}
h1:focus {
  outline: none;
}
.who {
  display: grid;
  gap: 3px;
  align-content: start;
  flex: 1;
  min-width: 0;
}
.answer {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 24px;
  align-items: center;
  justify-content: space-between;
  border: 1.5px solid var(--ink);
  border-radius: 3px;
  background: var(--card);
  padding: 12px 16px;
  margin: 14px 0 16px;
}
.big {
  font-size: 1.12rem;
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
.together {
  margin: 0 0 8px;
  text-decoration: underline;
  text-underline-offset: 3px;
  color: var(--accent-words);
}
.message {
  flex: 1 1 100%;
  display: grid;
  gap: 8px;
  justify-items: start;
}
.message > .v-input {
  width: 100%;
}
.ready {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.ready button {
  border: 1px solid var(--rule);
  border-radius: 12px;
  padding: 1px 10px;
  font-size: 0.88rem;
}
.below {
  display: grid;
  grid-template-columns: minmax(300px, 1fr) minmax(430px, 1fr);
  gap: 24px;
}
.looking {
  display: grid;
  gap: 8px;
  align-content: start;
  min-width: 0;
}
.views {
  display: grid;
  gap: 8px;
}
.views.two {
  grid-template-columns: 1fr 1fr;
}
.views figure {
  display: grid;
  grid-template-rows: 250px auto;
  border: 1px solid var(--rule);
  border-radius: 3px;
  min-width: 0;
}
.views figcaption {
  padding: 1px 8px;
  border-top: 1px solid var(--rule);
}
.pieces {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  max-height: 118px;
  overflow-y: auto;
}
.pieces button {
  display: flex;
  gap: 6px;
  align-items: center;
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 8px;
  background: var(--card);
  max-width: 260px;
}
.pieces .nm {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.pieces button[aria-pressed='true'] {
  border-color: var(--ink);
  box-shadow: inset 0 -2px var(--accent);
}
.below h2 {
  margin-bottom: 8px;
}
header h1 {
  margin-bottom: 4px;
}
aside h1 {
  margin-bottom: 2px;
}
@media (max-width: 1100px) {
  .counter {
    grid-template-columns: 244px minmax(0, 1fr);
  }
  .below {
    grid-template-columns: 1fr;
  }
}
@media (max-width: 760px) {
  .counter {
    grid-template-columns: 1fr;
  }
  aside {
    position: static;
    max-height: 30vh;
    border-right: none;
    border-bottom: 2px solid var(--ink);
    padding: 10px;
  }
  .verdict {
    padding: 12px 10px 30px;
  }
}
</style>
