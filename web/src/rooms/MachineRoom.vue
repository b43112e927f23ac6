<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import {
  useCheckRun,
  useClearBed,
  useLoad,
  useMachine,
  usePutBack,
  useRunFailed,
  useSeeRun,
  useStartRun,
  useTakeOff,
  useTellRun,
  useUncheckRun,
  useUnsayRun,
  useWarm,
  useWantRun,
  type Telling,
} from '../api/queries'
import BedNow from '../components/BedNow.vue'
import CameraView from '../components/CameraView.vue'
import NozzleTable from '../components/NozzleTable.vue'
import HeatCurve from '../components/HeatCurve.vue'
import RoomState from '../components/RoomState.vue'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { useRoomTitle } from '../composables/title'
import { useUnsaved } from '../composables/unsaved'

const f = useFormats()
const route = useRoute()
const id = computed(() => Number(route.params.id))
const query = useMachine(id)
const m = computed(() => query.data.value)
useRoomTitle('Machine', () => m.value?.name)

/** What is on it, or else what is to be started: the one that there is something to do with. */
const run = computed(() => m.value?.run ?? m.value?.next)
const may = computed(() => run.value?.may)
const last = computed(() => (m.value?.run ? undefined : m.value?.last))
const at = computed(() => ({ id: run.value?.id ?? 0, machine: id.value }))

const check = useCheckRun()
const uncheck = useUncheckRun()
const start = useStartRun()
const see = useSeeRun()
const tell = useTellRun()
const want = useWantRun()
const fail = useRunFailed()
const off = useTakeOff()
const back = usePutBack()
const clear = useClearBed()
const load = useLoad()
const warm = useWarm()
const unsay = useUnsayRun()
const busy = computed(() =>
  [check, uncheck, start, see, tell, want, fail, off, back, clear, load, warm, unsay].some((x) => x.isPending.value),
)

// What was said yes to of the checklist, until it is done.
const said = ref<string[]>([])
// Which copies came out bad, and why; why it is stopped or has failed.
const bad = ref<number[]>([])
const why = ref('')
const asks = ref<'' | 'stop' | 'failed'>('')
const whyField = ref<{ focus(): void }>()
watch(
  () => [id.value, run.value?.id, run.value?.state].join(),
  () => {
    said.value = []
    bad.value = []
    why.value = ''
    asks.value = ''
    waitDone.value = 0
  },
)
useUnsaved(
  () => 'what was said of the run',
  () => !!why.value.trim(),
)
const loadSteps = ref(0)
const waitDone = ref(0)
watch(
  () => m.value?.loading?.is,
  () => (loadSteps.value = 0),
)

const allSaid = computed(() => !!run.value && run.value.points.every((p) => said.value.includes(p.key)))
function tick() {
  const next = run.value?.points.find((p) => !said.value.includes(p.key))
  if (next) said.value = [...said.value, next.key]
}
const isReady = () => run.value && allSaid.value && check.mutate({ ...at.value, points: said.value })
const begin = () => run.value && start.mutate(at.value)
const good = () => run.value && see.mutate(at.value)
const telling = (what: Telling) => run.value && tell.mutate({ ...at.value, what })
const wanting = (what: 'pause' | 'go on') => run.value && want.mutate({ ...at.value, what })
function askWhy(what: 'stop' | 'failed') {
  asks.value = what
  void nextTick(() => whyField.value?.focus())
}
function ended() {
  const r = run.value
  if (!r || !why.value.trim()) return
  if (asks.value === 'stop') want.mutate({ ...at.value, what: 'stop', reason: why.value })
  else fail.mutate({ ...at.value, title: r.title, reason: why.value })
  asks.value = ''
  why.value = ''
}
function takeOff() {
  const r = run.value
  if (!r || (bad.value.length && !why.value.trim())) return
  off.mutate({ ...at.value, title: r.title, bad: bad.value, reason: why.value || undefined })
}
const isClear = () => m.value && clear.mutate({ machine: id.value, name: m.value.name })
function isLoaded() {
  const l = m.value?.loading
  if (!l) return
  load.mutate({
    machine: id.value,
    nozzle: 1,
    material: l.material,
    colour: run.value?.colour ?? '#888888',
    colour_name: colourName.value,
  })
}
const colourName = ref('')

const said1 = (what: Telling) =>
  ({
    'it lays its first line': 'It lays its first line',
    'it pauses': 'It waits',
    'it goes on': 'It goes on',
    'it goes on with its first layers': 'It goes on',
    'it cools while it waits': 'Its heat is off',
    'it warms again': 'It warms again',
    'it comes to its end': 'It has come to its end',
  })[what]

const warmFor = {
  'what comes next': 'Warm it for what comes next',
  'other filament': 'Warm it for other filament',
  nothing: 'Heat off',
}

const steps = computed(() => {
  const l = m.value?.loading
  if (!l) return []
  return [
    `Warm the nozzle to ${l.hot_c} °C: the hotter of what is in it and what comes.`,
    `Take ${l.was || 'what is in it'} out.`,
    `Push ${l.is} in until only that comes out.`,
    `Let it come to ${l.then_c} °C, or turn it off.`,
  ]
})
const waitSteps = [
  'Take out what is in the nozzle, or lay in what is to be laid in.',
  'Push the other filament in until only that comes out.',
  'Wipe the nozzle.',
]
/** What hands do while it waits for other filament, or for something to be laid in. */
const waiting = computed(() => run.value?.state === 'paused' || run.value?.state === 'paused cold')
const share = computed(() => m.value?.said?.share ?? run.value?.share ?? 0)
const layer = computed(() => m.value?.said?.layer || run.value?.layer || 0)
const stateWords = computed(() => m.value?.says ?? '')
const asking = computed(() => m.value && m.value.does !== 'idle' && m.value.does !== 'busy')

useKeys('Machine', [
  { key: 'x', does: 'The next point of the checklist is so', run: tick, when: () => !!may.value?.check },
  {
    key: 's',
    does: 'The checklist is done; start it',
    run: () => void (may.value?.start ? begin() : isReady()),
    when: () => !!may.value?.start || (!!may.value?.check && allSaid.value),
  },
  { key: 'g', does: 'The first layers are good', run: () => void good(), when: () => !!may.value?.see },
  {
    key: 'p',
    does: 'Pause it, or let it go on',
    run: () => wanting(may.value!.want.includes('pause') ? 'pause' : 'go on'),
    when: () => !!may.value?.want.some((w) => w !== 'stop'),
  },
  { key: 'o', does: 'It is off the machine', run: takeOff, when: () => !!may.value?.take_off },
  {
    key: 'k',
    does: 'The bed is clear',
    run: () => void isClear(),
    when: () => !!m.value?.to_clear.length && !m.value.run,
  },
  {
    key: 'f',
    does: 'It failed, or is to be stopped: say why',
    run: () => askWhy(may.value?.want.includes('stop') ? 'stop' : 'failed'),
    when: () => !!may.value?.fail || !!may.value?.want.includes('stop'),
  },
])
</script>

<template>
  <article v-if="m" class="machine">
    <header>
      <RouterLink to="/floor" class="small">← Floor</RouterLink>
      <h1>{{ m.name }}</h1>
      <span class="quiet small">{{ m.loaded }}{{ m.address ? ` · ${m.address}` : '' }}</span>
      <span class="quiet small right">{{
        m.line ? (m.said?.link === 'heard' ? 'on a line' : 'on a line, not heard') : 'without a line: say what it does'
      }}</span>
    </header>
    <p class="says" :class="{ asking }" aria-live="polite">{{ stateWords }}</p>
    <p v-if="run?.why" class="why">{{ run.why }}.</p>
    <p v-if="m.said?.why && m.said.link !== 'heard'" class="small quiet">{{ m.said.why }}</p>
    <div class="cols">
      <section class="do" aria-label="What is to be done">
        <template v-if="m.to_clear.length && !m.run">
          <h2>The bed</h2>
          <p>{{ m.to_clear.join(', ') }} lay on it. Look, by eye or by camera, whether it is empty and clean.</p>
          <div class="acts">
            <v-btn id="clear" color="primary" variant="flat" :disabled="busy" @click="isClear"
              >The bed is clear <kbd class="on">K</kbd></v-btn
            >
            <v-btn
              v-if="last?.may.put_back"
              variant="text"
              :disabled="busy"
              @click="back.mutate({ id: last.id, machine: id })"
              >It is still on it</v-btn
            >
          </div>
        </template>

        <template v-if="run">
          <h2>
            {{ run.title
            }}<span v-if="run.plates && run.plates > 1" class="quiet"> plate {{ run.plate }} of {{ run.plates }}</span>
          </h2>
          <p class="quiet small">
            {{ run.member }} · {{ run.recipe }} ·
            <span class="num">{{ f.duration(run.seconds) }} · {{ f.grams(run.grams) }}</span> ·
            <RouterLink :to="`/bench/${run.job_id}`">bench</RouterLink>
          </p>
          <template v-if="run.state === 'planned'">
            <template v-if="m.loading">
              <h3>Other filament</h3>
              <ol class="steps">
                <li v-for="(s, k) in steps" :key="k" :class="{ done: k < loadSteps }">
                  <label
                    ><input
                      type="checkbox"
                      :checked="k < loadSteps"
                      :disabled="k > loadSteps"
                      @change="loadSteps = k < loadSteps ? k : k + 1"
                    />
                    {{ s }}</label
                  >
                </li>
              </ol>
              <p v-for="c in m.loading.care" :key="c" class="care">{{ c }}</p>
              <NozzleTable :machine="id" :nozzles="m.nozzles" />
              <p v-if="m.nozzles[0]?.others.length" class="quiet small">Of no spool that the stores know:</p>
              <v-text-field
                v-model="colourName"
                label="Colour of what is in it now"
                density="compact"
                hide-details
                maxlength="40"
              />
              <v-btn
                id="loaded"
                size="small"
                :disabled="busy || loadSteps < steps.length || !colourName.trim()"
                @click="isLoaded"
                >{{ m.loading.is }} is loaded</v-btn
              >
            </template>
            <template v-else-if="may?.check">
              <h3>Before it starts</h3>
              <NozzleTable :machine="id" :nozzles="m.nozzles" />
              <ul class="points">
                <li v-for="p in run.points" :key="p.key">
                  <label><input v-model="said" type="checkbox" :value="p.key" /> {{ p.says }}</label>
                </li>
              </ul>
              <v-btn id="ready" color="primary" variant="flat" :disabled="!allSaid || busy" @click="isReady"
                >All of it is so <kbd class="on">S</kbd></v-btn
              >
              <span v-if="!allSaid" class="quiet small"> <kbd>X</kbd> says yes to the next point</span>
            </template>
            <p v-else class="quiet">
              {{ may?.why || (run.unsliced ? 'It is being sliced.' : 'It waits for its turn.') }}
            </p>
          </template>
          <template v-else-if="run.state === 'ready'">
            <p>{{ run.checked_by }} has gone through the checklist.</p>
            <div class="acts">
              <v-btn id="start" color="primary" variant="flat" :disabled="busy" @click="begin"
                >{{ m.line ? 'Send it and start' : 'I have started it' }} <kbd class="on">S</kbd></v-btn
              >
              <v-btn variant="text" :disabled="busy" @click="uncheck.mutate(at)">Something is not so any more</v-btn>
            </div>
            <p class="quiet small">Whoever starts it sees its first layers.</p>
          </template>
          <template v-else>
            <div v-if="run.state === 'sending'" class="bar">
              <i :style="{ width: `${100 * (m.said?.sent ?? 0)}%` }" />
            </div>
            <template v-if="share || layer">
              <div class="bar"><i :style="{ width: `${100 * share}%` }" /></div>
              <p class="num small">
                <template v-if="layer">layer {{ layer }}{{ m.said?.layers ? ` of ${m.said.layers}` : '' }} · </template
                >{{ f.number(100 * share, 0) }} %<template v-if="m.said?.left_seconds">
                  · {{ f.duration(m.said.left_seconds) }} left</template
                >
              </p>
            </template>
            <template v-if="may?.see">
              <p>
                <b>Look at the first layers.</b> Are they flat, whole and stuck to the bed all round?
                <template v-if="run.see_within_seconds && m.line">
                  If nobody says so within {{ f.duration(run.see_within_seconds) }}, it pauses.</template
                >
              </p>
              <v-btn id="seen" color="primary" variant="flat" :disabled="busy" @click="good"
                >They are good <kbd class="on">G</kbd></v-btn
              >
            </template>
            <template v-if="waiting">
              <NozzleTable :machine="id" :nozzles="m.nozzles" />
              <p>Do what it waits for, then let it go on:</p>
              <ol class="steps">
                <li v-for="(s, k) in waitSteps" :key="k" :class="{ done: k < waitDone }">
                  <label
                    ><input
                      type="checkbox"
                      :checked="k < waitDone"
                      :disabled="k > waitDone"
                      @change="waitDone = k < waitDone ? k : k + 1"
                    />
                    {{ s }}</label
                  >
                </li>
              </ol>
            </template>
            <template v-if="may?.take_off">
              <h3>How did it come out?</h3>
              <p v-if="run.copies.length > 1">
                Touch every copy on the bed that is bad. Those are made again, first on this machine.
              </p>
              <v-text-field
                v-if="bad.length"
                ref="whyField"
                v-model="why"
                label="What went wrong (their members read this)"
                density="compact"
                hide-details
                maxlength="1000"
              />
              <div class="acts">
                <v-btn
                  id="off"
                  color="primary"
                  variant="flat"
                  :disabled="busy || (!!bad.length && !why.trim())"
                  @click="takeOff"
                  >{{ bad.length ? `Off the machine, ${bad.length} bad` : 'Off the machine, all good' }}
                  <kbd class="on">O</kbd></v-btn
                >
              </div>
            </template>
            <p v-if="run.wants" class="quiet">Asked of the machine: {{ run.wants }} …</p>
            <div class="acts">
              <v-btn
                v-for="w in may?.want.filter((x) => x !== 'stop')"
                :id="w === 'pause' ? 'pause' : 'goon'"
                :key="w"
                size="small"
                :disabled="busy || !!run.wants"
                @click="wanting(w as 'pause' | 'go on')"
                >{{ w === 'pause' ? 'Pause' : 'Go on' }} <kbd class="on">P</kbd></v-btn
              >
              <v-btn v-for="t in may?.tell" :key="t" size="small" class="tell" :disabled="busy" @click="telling(t)">{{
                said1(t)
              }}</v-btn>
              <v-btn
                v-if="may?.want.includes('stop')"
                id="stop"
                size="small"
                variant="text"
                color="error"
                :disabled="busy"
                @click="askWhy('stop')"
                >Stop it <kbd class="on">F</kbd></v-btn
              >
              <v-btn v-if="may?.unsay" id="unsay" size="small" variant="text" :disabled="busy" @click="unsay.mutate(at)"
                >The last step was said by mistake</v-btn
              >
              <v-btn
                v-if="may?.fail"
                id="failed"
                size="small"
                variant="text"
                color="error"
                :disabled="busy"
                @click="askWhy('failed')"
                >It failed <kbd class="on">F</kbd></v-btn
              >
            </div>
            <form v-if="asks" class="failure" @submit.prevent="ended">
              <v-text-field
                ref="whyField"
                v-model="why"
                label="What went wrong (the members read this)"
                density="compact"
                hide-details
                maxlength="1000"
                @keydown.esc.stop="asks = ''"
              />
              <v-btn type="submit" color="error" size="small" :disabled="!why.trim()">{{
                asks === 'stop' ? 'Stop it, and plan it again' : 'Plan it again'
              }}</v-btn>
            </form>
          </template>
        </template>
        <p v-else-if="!m.to_clear.length" class="quiet">Nothing is on it, and nothing waits for it.</p>
        <p v-if="m.run && m.next" class="quiet small next">
          Then: {{ m.next.title }}<template v-if="m.next.start">, {{ f.moment(m.next.start) }}</template>
        </p>
      </section>

      <section class="sight" aria-label="Its bed">
        <CameraView v-if="m.camera" :machine="id" :name="m.name" />
        <BedNow
          v-model:bad="bad"
          :volume="m.volume"
          :run="run ?? last"
          :colour="(run ?? last)?.colour ?? '#888888'"
          :laying="m.run && m.run.state !== 'cooling' ? layer : 0"
          :choosing="!!may?.take_off && run!.copies.length > 1"
        />
      </section>

      <section v-if="m.line" class="warmth" aria-label="Heat">
        <h2>Heat</h2>
        <HeatCurve v-if="m.said?.heats.length" :curve="m.curve" :heats="m.said.heats" />
        <p v-else class="quiet">It has not told its temperatures.</p>
        <div v-if="m.warm.length" class="acts">
          <v-btn
            v-for="w in m.warm"
            :key="w"
            size="small"
            class="warm"
            :disabled="busy"
            @click="warm.mutate({ machine: id, what: w })"
            >{{ warmFor[w] }}</v-btn
          >
        </div>
        <p v-if="!m.idle_off" class="quiet small">
          It does not turn its heat off by itself, so nothing waits warm on it.
        </p>
      </section>
    </div>
  </article>
  <RoomState
    v-else
    class="machine"
    :data="undefined"
    :error="query.error.value"
    what="this machine"
    @again="query.refetch()"
  />
</template>

<style scoped>
.machine {
  padding: 12px 22px 40px;
}
header {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: baseline;
}
.right {
  margin-left: auto;
}
.says {
  font-size: 1.25rem;
  font-family: var(--font-head);
  border: 1.5px solid var(--ink);
  border-left: 8px solid var(--accent);
  border-radius: 3px;
  background: var(--card);
  padding: 9px 14px;
  margin: 8px 0;
}
.says.asking {
  border-left-color: var(--attention);
}
.why,
.care {
  border-left: 4px solid var(--attention);
  padding-left: 10px;
  margin: 6px 0;
}
.why::first-letter {
  text-transform: uppercase;
}
.cols {
  display: grid;
  grid-template-columns: minmax(300px, 1.15fr) minmax(260px, 1fr) minmax(260px, 1fr);
  gap: 26px;
  margin-top: 12px;
  align-items: start;
}
.do {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 9px;
  justify-items: start;
}
.sight {
  display: grid;
  gap: 10px;
}
.points,
.steps {
  list-style: none;
  padding: 0;
  display: grid;
  gap: 5px;
}
.points label,
.steps label {
  display: flex;
  gap: 9px;
  align-items: baseline;
}
.points input,
.steps input {
  width: 17px;
  height: 17px;
  transform: translateY(3px);
  accent-color: var(--accent);
  flex: none;
}
.steps {
  counter-reset: step;
}
.done {
  color: var(--quiet);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.bar {
  width: 100%;
  height: 13px;
  border: 1.5px solid var(--ink);
  border-radius: 3px;
  background: var(--card);
}
.bar i {
  display: block;
  height: 100%;
  background: repeating-linear-gradient(
    90deg,
    var(--accent) 0 5px,
    color-mix(in srgb, var(--accent) 70%, var(--card)) 5px 7px
  );
}
.failure {
  width: 100%;
  display: grid;
  gap: 8px;
  justify-items: start;
}
.failure > :first-child,
.do > .v-text-field {
  width: 100%;
}
.next {
  border-top: 1px solid var(--rule);
  padding-top: 6px;
  width: 100%;
}
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 6px;
}
@media (max-width: 1000px) {
  .cols {
    grid-template-columns: minmax(0, 1fr);
  }
}
@media (max-width: 760px) {
  .machine {
    padding: 10px 10px 30px;
  }
}
</style>
