<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import type { SpoolView } from '../api/client'
import {
  useCorrectSpool,
  useMaterialsOf,
  usePutSpool,
  useSpoolLines,
  useTurnSpool,
  useWeighSpool,
} from '../api/queries'
import { useFormats } from '../composables/format'
import { useUnsaved } from '../composables/unsaved'
import { spoolMark as mark } from './spools'

/** One spool: what to see to, what can be said of it, and its books. */
const props = defineProps<{ spool: SpoolView }>()
const f = useFormats()
const s = computed(() => props.spool)
const lines = useSpoolLines(() => props.spool.id)
const turn = useTurnSpool()
const weigh = useWeighSpool()
const correct = useCorrectSpool()
const put = usePutSpool()
const busy = computed(() => [turn, weigh, correct, put].some((x) => x.isPending.value))

type What = SpoolView['may'][number]
const words: Record<What, string> = {
  'is opened': 'It is opened',
  'begins to dry': 'It is put to dry',
  'is dry': 'It is dry',
  'is unloaded': 'It is taken off',
  'runs out': 'It has run out',
  'is retired': 'Take it out of the books',
}

const asks = ref<'' | 'weigh' | 'correct' | 'place' | 'retire'>('')
const grams = ref('')
const reel = ref('')
const why = ref('')
const place = ref('')
const field = ref<{ focus(): void }>()
function ask(what: typeof asks.value) {
  asks.value = what
  grams.value = ''
  reel.value = props.spool.reel_grams ? f.value.typed(props.spool.reel_grams) : ''
  why.value = ''
  place.value = props.spool.place ?? ''
  void nextTick(() => field.value?.focus())
}
watch(
  () => props.spool.id,
  () => (asks.value = ''),
)
useUnsaved(
  () => 'what was written of the spool',
  () => (asks.value === 'weigh' || asks.value === 'correct') && !!grams.value,
)
const at = computed(() => ({ id: s.value.id, revision: s.value.revision }))
const read = computed(() => f.value.read(grams.value))
const readReel = computed(() => (reel.value.trim() ? f.value.read(reel.value) : 0))
/** What the weighing would say is on it, so that a slip is seen before it is in the books. */
const would = computed(() =>
  read.value === undefined || readReel.value === undefined
    ? undefined
    : read.value - (readReel.value || s.value.reel_grams),
)
function said(what: What) {
  if (what === 'is retired' && asks.value !== 'retire' && s.value.left_grams > 0) return ask('retire')
  turn.mutate({ ...at.value, what })
  asks.value = ''
}
function weighed() {
  if (read.value === undefined || readReel.value === undefined) return
  weigh.mutate({ ...at.value, grams: read.value, reel_grams: readReel.value || undefined }, { onSuccess: done })
}
function corrected() {
  if (read.value === undefined || !why.value.trim()) return
  correct.mutate({ ...at.value, grams: read.value, why: why.value }, { onSuccess: done })
}
const kept = () => put.mutate({ ...at.value, place: place.value }, { onSuccess: done })
const done = () => void (asks.value = '')
defineExpose({ weigh: () => ask('weigh') })
const materials = useMaterialsOf()
const how = computed(() => s.value.drying || materials.value.find((m) => m.id === s.value.material_id)?.data.drying)
</script>

<template>
  <section class="spool" :aria-label="`Spool ${s.id}`">
    <h2>
      <span class="dot" :style="{ background: s.colour || '#8a8a8a' }" /> {{ s.colour_name }} {{ s.material }}
      <span class="quiet num">no. {{ s.id }}</span>
    </h2>
    <p>
      <b class="num">{{ f.grams(s.left_grams) }}</b> left<template v-if="s.held_grams"
        >, <span class="num">{{ f.grams(s.held_grams) }}</span> of it promised</template
      >. {{ mark[s.state] }} {{ s.state
      }}<template v-if="s.machine">
        on <RouterLink :to="`/machine/${s.machine_id}`">{{ s.machine }}</RouterLink><template v-if="(s.nozzle ?? 1) > 1"
          >, nozzle {{ s.nozzle }}</template
        ></template
      ><template v-else-if="s.place">, kept at {{ s.place }}</template
      >.
    </p>
    <p v-for="n in s.notes" :key="n" class="note">▲ {{ n }}</p>
    <dl class="facts small">
      <div>
        <dt>Came</dt>
        <dd>{{ f.dayOf(s.received) }}, {{ f.grams(s.full_grams) }}</dd>
      </div>
      <div v-if="s.opened">
        <dt>Opened</dt>
        <dd>{{ f.dayOf(s.opened) }}</dd>
      </div>
      <div v-if="s.dried">
        <dt>{{ s.state === 'drying' ? 'Dries since' : 'Dried' }}</dt>
        <dd>{{ f.moment(s.dried) }}</dd>
      </div>
      <div v-if="s.loaded">
        <dt>Loaded</dt>
        <dd>{{ f.moment(s.loaded) }}</dd>
      </div>
      <div v-if="s.lot">
        <dt>Lot</dt>
        <dd>{{ s.lot }}</dd>
      </div>
      <div>
        <dt>Reel</dt>
        <dd>{{ s.reel_grams ? f.grams(s.reel_grams) : 'not known' }}</dd>
      </div>
      <div v-if="how">
        <dt>Drying</dt>
        <dd>{{ how }}</dd>
      </div>
    </dl>
    <div class="acts">
      <v-btn
        v-if="s.state !== 'retired'"
        id="weigh"
        color="primary"
        variant="flat"
        size="small"
        :disabled="busy"
        @click="ask('weigh')"
        >Weigh it <kbd class="on">W</kbd></v-btn
      >
      <v-btn
        v-for="w in s.may"
        :key="w"
        size="small"
        class="told"
        :variant="w === 'is retired' ? 'text' : undefined"
        :disabled="busy"
        @click="said(w)"
        >{{ words[w] }}</v-btn
      >
      <v-btn v-if="s.state !== 'loaded'" size="small" variant="text" :disabled="busy" @click="ask('place')"
        >Kept elsewhere</v-btn
      >
      <v-btn v-if="s.state !== 'empty'" size="small" variant="text" :disabled="busy" @click="ask('correct')"
        >Correct the books</v-btn
      >
    </div>
    <form v-if="asks === 'weigh'" class="ask" @submit.prevent="weighed">
      <v-text-field
        ref="field"
        v-model="grams"
        label="On the scale, reel and all"
        suffix="g"
        density="compact"
        hide-details
        @keydown.esc.stop="asks = ''"
      />
      <v-text-field
        v-model="reel"
        label="Of that the empty reel"
        suffix="g"
        density="compact"
        hide-details
        @keydown.esc.stop="asks = ''"
      />
      <p v-if="would !== undefined" class="small num">
        {{ f.grams(would) }} on it<template v-if="would >= 0"
          >: {{ f.grams(Math.abs(would - s.left_grams)) }} {{ would < s.left_grams ? 'less' : 'more' }} than the books
          have</template
        >
      </p>
      <v-btn type="submit" size="small" color="primary" :disabled="would === undefined || busy">So it weighs</v-btn>
    </form>
    <form v-if="asks === 'correct'" class="ask" @submit.prevent="corrected">
      <v-text-field
        ref="field"
        v-model="grams"
        label="So much more (less: −)"
        suffix="g"
        density="compact"
        hide-details
        @keydown.esc.stop="asks = ''"
      />
      <v-text-field
        v-model="why"
        label="Why the books are wrong"
        density="compact"
        hide-details
        maxlength="400"
        @keydown.esc.stop="asks = ''"
      />
      <v-btn type="submit" size="small" color="primary" :disabled="read === undefined || !why.trim() || busy"
        >Correct them</v-btn
      >
    </form>
    <form v-if="asks === 'place'" class="ask" @submit.prevent="kept">
      <v-text-field
        ref="field"
        v-model="place"
        label="Where it is kept"
        density="compact"
        hide-details
        maxlength="60"
        @keydown.esc.stop="asks = ''"
      />
      <v-btn type="submit" size="small" :disabled="busy">It is there</v-btn>
    </form>
    <div v-if="asks === 'retire'" class="ask">
      <p>The {{ f.grams(s.left_grams) }} that the books have on it are written off, and it is shown no more.</p>
      <v-btn size="small" color="error" :disabled="busy" @click="said('is retired')">Write it off</v-btn>
    </div>
    <h3>Its books</h3>
    <table class="ledger small">
      <thead>
        <tr>
          <th>When</th>
          <th>What</th>
          <th class="right">Left</th>
          <th class="right">Promised</th>
          <th class="right">Stands at</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="l in lines.data.value" :key="l.id">
          <td class="num">{{ f.moment(l.at) }}</td>
          <td>
            {{ l.kind }}<template v-if="l.run_id"> · run {{ l.run_id }}</template
            ><span v-if="l.why || l.by" class="quiet"> {{ l.why }} {{ l.by }}</span>
          </td>
          <td class="right num">{{ l.left_grams ? f.number(l.left_grams, 1) : '' }}</td>
          <td class="right num">{{ l.held_grams ? f.number(l.held_grams, 1) : '' }}</td>
          <td class="right num">{{ l.left_grams ? f.number(l.stands_grams, 1) : '' }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.spool {
  display: grid;
  gap: 10px;
  align-content: start;
}
.dot {
  display: inline-block;
  width: 14px;
  height: 14px;
  border-radius: 50%;
  border: 1px solid var(--ink);
  vertical-align: -1px;
}
.note {
  color: var(--attention-words);
}
.facts {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
}
.facts div {
  display: flex;
  gap: 6px;
}
.facts dt {
  color: var(--quiet);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.ask {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  align-items: center;
  padding: 10px;
  border: 1px solid var(--rule);
}
.ask p {
  grid-column: 1 / -1;
}
.ask .v-btn {
  justify-self: start;
}
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 6px;
}
</style>
