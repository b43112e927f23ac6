<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import type { Override, JobView, SupportMark, PieceView, Overhang, LadderRow, Setting, SliceView } from '../api/client'
import {
  useAgainSlice,
  useCancelSlice,
  useChooseSlice,
  useHouse,
  useOrderSlice,
  useSavings,
  useSettings,
  useSlices,
} from '../api/queries'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { holds, idle } from './fields'
import OverhangList from './OverhangList.vue'
import { marked } from './overhangs'

const props = defineProps<{ job: JobView; piece: PieceView; row: LadderRow | undefined; may: boolean }>()
const emit = defineEmits<{ look: [overhang: Overhang] }>()
const shown = defineModel<SliceView | undefined>()
/** The variant that stands beside. */
const beside = defineModel<SliceView | undefined>('beside')
/** Which of its plates is looked at. */
const plate = defineModel<number>('plate', { default: 1 })
const f = useFormats()
const slices = useSlices(() => props.piece.id)
const settings = useSettings()
const order = useOrderSlice()
const cancel = useCancelSlice()
const again = useAgainSlice()
const choose = useChooseSlice()
const savings = useSavings()

// Variants are for the machine looked at, and for the job as it is; alternatives stand under what they are held against.
const all = computed(() => (slices.data.value ?? []).filter((s) => !s.of))
const variants = computed(() =>
  all.value.filter((s) => !s.base_id && s.machine_id === props.row?.machine_id && s.state !== 'cancelled'),
)
const running = computed(() => all.value.filter((s) => s.state === 'queued' || s.state === 'running'))
const saved = (s: SliceView) => (s.full && base.value?.full ? s.full.seconds - base.value.full.seconds : 0)
// What saves most comes first, once all are known; until then they stay where they are.
const alternatives = computed(() => {
  const found = all.value.filter((s) => s.base_id === base.value?.id && s.state !== 'cancelled')
  return found.every((s) => s.full || s.state === 'failed' || s.state === 'set aside')
    ? found.sort((a, b) => saved(a) - saved(b))
    : found
})
const pickedId = ref<number>()
const picked = computed(
  () =>
    all.value.find((s) => s.id === pickedId.value && s.state === 'done') ??
    variants.value.findLast((s) => s.state === 'done'),
)
const base = computed(() =>
  picked.value?.base_id ? all.value.find((s) => s.id === picked.value!.base_id) : picked.value,
)
watch(picked, (v) => (shown.value = v), { immediate: true })
watch(
  () => [props.piece.id, props.row?.machine_id],
  () => (pickedId.value = undefined),
)

const overrides = ref<Override[]>([])
const marks = ref<SupportMark[]>([])
watch(
  () => props.piece.id,
  () => {
    overrides.value = []
    marks.value = []
  },
)
const overhangs = computed(() => picked.value?.overhangs ?? [])
// A place marked by hand goes on from the variant that is looked at.
function mark(r: Overhang, putIn: boolean) {
  if (!overrides.value.length && !marks.value.length) {
    overrides.value = (picked.value?.overrides ?? []).map((d) => ({ ...d }))
    marks.value = (picked.value?.support_marks ?? []).map((m) => ({ ...m }))
  }
  marks.value = marked(marks.value, r, putIn)
}
const settingOf = (key: string) => settings.data.value?.recipe.find((s) => s.key === key)
const house = useHouse()
const recipe = computed(
  () =>
    house.data.value?.recipes.find(
      (r) => r.machine_id === props.row?.machine_id && r.data.purpose === props.job.purpose,
    )?.data,
)
/** What holds now: by the recipe, or by what stands in for what it leaves out. */
const now = (s: Setting) => holds(s, recipe.value)
const search = ref('')
const found = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean)
  if (!words.length) return []
  return (settings.data.value?.recipe ?? []).filter((s) =>
    words.every((w) => `${s.key} ${s.name} ${s.text}`.toLowerCase().includes(w)),
  )
})
function override(key: string) {
  if (!overrides.value.some((d) => d.key === key)) overrides.value.push({ key, value: '', why: '' })
  search.value = ''
  void nextTick(() => asked.value?.querySelector<HTMLElement>(`[data-value="${key}"]`)?.focus())
}
const asked = ref<HTMLElement>()
const ready = computed(
  () => overrides.value.every((d) => d.value.trim() && d.why.trim()) && marks.value.every((m) => m.why.trim()),
)
function slice() {
  if (!props.row || !ready.value || order.isPending.value) return
  order.mutate({
    piece: props.piece.id,
    order: { machine_id: props.row.machine_id, overrides: overrides.value, support_marks: marks.value },
  })
}

const byKind = computed(() =>
  [
    ...Object.entries(picked.value?.full?.seconds_by_kind ?? {}),
    [warming, picked.value?.full?.warm_up_seconds ?? 0] as const,
  ].sort((a, b) => b[1] - a[1]),
)
const warming = 'warm-up'
const secondsOf = (v: SliceView, kind: string) =>
  (kind === warming ? v.full?.warm_up_seconds : v.full?.seconds_by_kind[kind]) ?? 0
const portions = computed(() =>
  (
    [
      ['support', picked.value?.full?.grams_support],
      ['purge', picked.value?.full?.grams_purge],
      ['bed adhesion', picked.value?.full?.grams_adhesion],
    ] as const
  ).flatMap(([what, g]) => (g ? [[what, g] as const] : [])),
)
const other = ref<number>()
const compared = computed(() =>
  all.value.find((s) => s.id === other.value && s.id !== picked.value?.id && s.state === 'done'),
)
watch(compared, (v) => (beside.value = v))
/** How many copies lie on how many plates. */
const lying = (s: SliceView) => {
  const copies = s.plates.reduce((n, p) => n + p.spots.length, 0)
  return copies < 2 ? '' : `${copies} copies on ${s.plates.length === 1 ? 'one plate' : `${s.plates.length} plates`}`
}
const spotsOf = (s: SliceView, n: number) => s.plates.find((p) => p.n === n)?.spots ?? []
const byHand = (s: SliceView) =>
  (s.support_marks?.length ? ', support by hand' : '') + (s.pins?.length ? `, ${s.pins.length} pinned` : '')
const named = (s: SliceView) =>
  (s.label ||
    (s.overrides.length
      ? s.overrides.map((d) => `${settingOf(d.key)?.name ?? d.key} ${d.value}`).join(', ')
      : 'house recipe')) + byHand(s)
const signed = (v: number, show: (n: number) => string) => (v < 0 ? '−' : '+') + show(Math.abs(v))
const minutes = (s: number) => (Math.abs(s) < 30 ? '±0 min' : signed(s, f.value.duration))
/** What a variant with overrides changes, against the recipe as it is. */
const plain = computed(() =>
  variants.value.findLast((s) => s.full && !s.overrides.length && !s.support_marks?.length && !s.pins?.length),
)

useKeys('Slicing', [
  {
    key: 'l',
    does: 'Slice with the settings shown',
    run: slice,
    when: () => props.may && ready.value && !!props.row?.fits,
  },
])

function takeIt(id: number) {
  pickedId.value = id
  choose.mutate(id)
}
</script>

<template>
  <section class="slicing">
    <h2>
      Layers <span class="small quiet">on {{ row?.name }}</span>
    </h2>
    <ul v-if="variants.length" class="variants">
      <li v-for="s in variants" :key="s.id" :class="{ on: s.id === picked?.id }">
        <button type="button" :disabled="s.state !== 'done'" @click="pickedId = s.id">{{ named(s) }}</button>
        <template v-if="s.full">
          <span v-if="lying(s)" class="small quiet">{{ lying(s) }}</span>
          <span class="num small">{{ f.duration(s.full.seconds) }}</span><span class="num small">{{
            f.grams(s.full.grams)
          }}</span
          ><span class="num small">{{ f.money(s.full.price_cents) }}</span>
          <span v-if="s.stale" class="stale small" :title="s.stale">▲ stale</span>
          <span v-if="s.chosen" class="counts small">◆ counts</span>
          <button v-else-if="may" type="button" class="link small" @click="choose.mutate(s.id)">use this one</button>
          <span v-if="plain?.full && s !== plain" class="change num small quiet"
            >{{ minutes(s.full.seconds - plain.full.seconds) }}, {{ signed(s.full.grams - plain.full.grams, f.grams) }},
            {{ signed(s.full.price_cents - plain.full.price_cents, f.money) }} against the recipe</span
          >
        </template>
        <span v-else-if="s.state === 'failed' || s.state === 'set aside'" class="bad small"
          >■ {{ s.state === 'set aside' ? 'Set aside. ' : '' }}{{ s.error }}
          <button v-if="may" type="button" class="link slice-again" @click="again.mutate(s.id)">
            Try once more
          </button></span
        >
        <span v-else class="small quiet">{{
          s.state === 'running' ? `${Math.round(100 * s.fraction)} %` : s.waits || 'waiting'
        }}</span>
      </li>
    </ul>
    <p v-else class="small quiet">Not sliced yet on this machine: the figures are quick estimates.</p>
    <div v-if="picked && picked.plates.length > 1" class="tabs small" role="group" aria-label="Plates">
      <button v-for="p in picked.plates" :key="p.n" type="button" :aria-pressed="p.n === plate" @click="plate = p.n">
        Plate {{ p.n }}<span class="quiet"> × {{ p.spots.length }}</span>
      </button>
    </div>
    <p v-if="picked?.stale" class="small staleness">▲ {{ picked.stale }}</p>
    <ul v-if="picked?.overrides.length" class="diff small" aria-label="What differs from the recipe">
      <li v-for="d in picked.overrides" :key="d.key">
        <strong>{{ settingOf(d.key)?.name ?? d.key }}</strong>{{ '' }}
        <span class="num">{{ d.was || '–' }} → {{ d.value }} {{ settingOf(d.key)?.unit }}</span
        ><span class="quiet"
          >{{ d.why }}<template v-if="d.who">, {{ d.who }}</template></span
        >
      </li>
    </ul>
    <div v-for="s in running" :key="s.id" class="run small" role="status">
      <v-progress-linear :model-value="100 * s.fraction" color="primary" height="5" :aria-label="`Slice ${s.id}`" />
      <span class="num slice-percent">{{ Math.round(100 * s.fraction) }} %</span
      ><span>{{ s.waits || s.label || 'slicing' }}</span>
      <v-btn size="x-small" class="slice-cancel" @click="cancel.mutate(s.id)">Cancel</v-btn>
    </div>

    <div v-if="may && row?.fits" ref="asked" class="ask">
      <div v-for="(d, i) in overrides" :key="d.key" class="override small">
        <strong>{{ settingOf(d.key)?.name ?? d.key }}</strong>
        <template v-if="settingOf(d.key)?.choices">
          <select v-model="d.value" :data-value="d.key" :aria-label="`Value of ${d.key}`">
            <option v-for="c in settingOf(d.key)?.choices" :key="c">{{ c }}</option>
          </select>
        </template>
        <input
          v-else
          v-model="d.value"
          :data-value="d.key"
          class="num"
          :aria-label="`Value of ${d.key}`"
          :placeholder="now(settingOf(d.key)!)"
        />
        <span class="quiet">{{ settingOf(d.key)?.unit }}</span>
        <input
          v-model="d.why"
          class="why"
          :aria-label="`Reason for ${d.key}`"
          placeholder="why"
          @keydown.enter.prevent="slice"
        />
        <button type="button" :aria-label="`Leave ${d.key} to the recipe`" @click="overrides.splice(i, 1)">×</button>
      </div>
      <div v-for="(m, i) in marks" :key="i" class="override small mark">
        <strong>Support {{ m.put_in ? 'put in' : 'kept out' }} by hand</strong>
        <input
          v-model="m.why"
          class="why"
          aria-label="Reason for the place"
          placeholder="why"
          @keydown.enter.prevent="slice"
        />
        <button type="button" aria-label="Leave the place to the recipe" @click="marks.splice(i, 1)">×</button>
      </div>
      <div class="row">
        <input
          id="setting-search"
          v-model="search"
          class="search small"
          placeholder="Change a setting: type its name, or what it does"
          aria-label="Search settings"
          @keydown.enter.prevent="found[0] && override(found[0].key)"
        />
        <v-btn
          id="slice"
          size="small"
          color="primary"
          :variant="variants.length ? 'outlined' : 'flat'"
          :disabled="!ready || order.isPending.value"
          @click="slice"
          >Slice <kbd class="on">L</kbd></v-btn
        >
      </div>
      <ul
        v-if="found.length"
        class="found small"
        aria-label="Settings found: what each does, what it is now, its range"
      >
        <li v-for="s in found" :key="s.key">
          <button type="button" @click="override(s.key)">
            <span
              ><strong>{{ s.name }}</strong
              >{{ '' }}
              <span class="quiet"
                >{{ s.text
                }}<template v-if="idle(s.with, recipe)"> (needs: {{ settingOf(s.with!)?.name }})</template></span
              ></span
            >
            <span class="num">{{ [now(s), s.unit].filter(Boolean).join(' ') }}</span>
            <span class="quiet num">{{ s.least === undefined ? '' : `${s.least} to ${s.most}` }}</span>
          </button>
        </li>
      </ul>
    </div>

    <template v-if="picked?.full">
      <h3>What would save time</h3>
      <ul v-if="alternatives.length" class="saves small">
        <li v-for="s in alternatives" :key="s.id" :data-label="s.label" :class="{ quiet: saved(s) > -30 }">
          <span>{{ s.label }}</span>
          <template v-if="s.full && base?.full">
            <span class="num">{{ minutes(saved(s)) }}</span><span class="num">{{
              signed(s.full.grams - base.full.grams, f.grams)
            }}</span
            ><span class="num">{{ signed(s.full.price_cents - base.full.price_cents, f.money) }}</span>
            <button type="button" class="link take" @click="takeIt(s.id)">
              {{ s.chosen ? '◆ taken' : 'take it' }}
            </button>
          </template>
          <span v-else-if="s.state === 'failed' || s.state === 'set aside'" class="quiet">{{ s.error }}</span>
          <span v-else class="num quiet">{{ Math.round(100 * s.fraction) }} %</span>
        </li>
      </ul>
      <v-btn
        v-else-if="may"
        id="savings"
        size="small"
        :disabled="savings.isPending.value"
        @click="base && savings.mutate(base.id)"
        >Try what saves time</v-btn
      >
      <table class="ledger small kinds">
        <tbody>
          <tr v-for="[kind, sec] in byKind" :key="kind">
            <td>{{ kind }}</td>
            <td class="right num">{{ f.duration(sec) }}</td>
            <td class="right num">{{ f.number((100 * sec) / picked.full.seconds) }} %</td>
            <td v-if="compared?.full" class="right num">{{ minutes(secondsOf(compared, kind) - sec) }}</td>
          </tr>
          <tr>
            <td><strong>together</strong></td>
            <td class="right num">
              <strong>{{ f.duration(picked.full.seconds) }}</strong>
            </td>
            <td class="right num">{{ f.grams(picked.full.grams) }}</td>
            <td v-if="compared?.full" class="right num">
              {{ minutes(compared.full.seconds - picked.full.seconds) }},
              {{ signed(compared.full.grams - picked.full.grams, f.grams) }}
            </td>
          </tr>
          <tr v-for="[what, g] in portions" :key="what">
            <td>of it {{ what }}</td>
            <td />
            <td class="right num">{{ f.grams(g) }}</td>
            <td v-if="compared" />
          </tr>
          <template v-if="picked.full.nozzles && picked.full.nozzles.length > 1">
            <tr v-for="n in picked.full.nozzles" :key="n.nozzle">
              <td>nozzle {{ n.nozzle }}, {{ n.material }}</td>
              <td class="right num">{{ f.metres(n.filament_mm / 1000) }}</td>
              <td class="right num">{{ f.grams(n.grams) }}</td>
              <td v-if="compared" />
            </tr>
          </template>
        </tbody>
      </table>
      <details v-if="spotsOf(picked, plate).length > 1" class="small">
        <summary>What each copy takes</summary>
        <table class="ledger small kinds">
          <tbody>
            <tr v-for="s in spotsOf(picked, plate)" :key="`${s.piece_id} ${s.copy}`">
              <td>{{ job.piece_set.find((p) => p.id === s.piece_id)?.name }} {{ s.copy }}</td>
              <td class="right num">{{ f.number(s.x_mm) }}, {{ f.number(s.y_mm) }} mm</td>
              <td class="right num">{{ f.duration(s.seconds) }}</td>
              <td class="right num">{{ f.grams(s.grams) }}</td>
            </tr>
          </tbody>
        </table>
      </details>
      <p v-for="n in picked.notes" :key="n" class="small quiet">{{ n }}</p>
      <OverhangList
        v-if="overhangs.length"
        :overhangs="overhangs"
        :marks="marks"
        :may="may && !!row?.fits"
        @look="emit('look', $event)"
        @mark="mark"
      />
      <p class="row small">
        <a id="gcode" :href="`/api/slices/${picked.id}/gcode?plate=${plate}`">G-code</a>{{ '' }}
        <a id="plate" :href="`/api/slices/${picked.id}/plate?plate=${plate}`">Plate as 3MF</a>
        <label v-if="all.filter((s) => s.state === 'done').length > 1"
          >beside
          <select v-model="other" aria-label="Compare with">
            <option :value="undefined">nothing</option>
            <option v-for="s in all.filter((x) => x.state === 'done' && x.id !== picked?.id)" :key="s.id" :value="s.id">
              {{ named(s) }}<template v-if="s.machine_id !== row?.machine_id">, {{ s.machine }}</template>
            </option>
          </select></label
        >
      </p>
    </template>
  </section>
</template>

<style scoped>
.slicing {
  display: grid;
  gap: 6px;
  margin-top: 14px;
}
.variants,
.saves,
.found {
  list-style: none;
  padding: 0;
}
.variants li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  align-items: baseline;
  padding: 3px 8px;
  border-left: 4px solid transparent;
}
.variants li.on {
  border-left-color: var(--accent);
  background: var(--card);
}
.variants li > button:first-child {
  font-weight: 600;
  text-align: left;
}
.change {
  flex-basis: 100%;
}
.tabs {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
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
.counts {
  color: var(--accent-words);
  font-weight: 600;
}
.link {
  text-decoration: underline;
  color: var(--accent-words) !important;
}
.bad {
  color: var(--stop);
}
.run {
  display: grid;
  grid-template-columns: 1fr auto auto auto;
  gap: 8px;
  align-items: center;
}
.ask {
  display: grid;
  gap: 8px;
}
.stale,
.staleness {
  color: var(--attention-words);
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
}
input,
select {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 6px;
  background: var(--card);
  color: var(--ink);
}
.search {
  flex: 1;
  min-width: 200px;
  padding: 4px 8px;
}
.override {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: center;
}
.override .num {
  width: 80px;
  text-align: right;
}
.override .why {
  flex: 1;
  min-width: 120px;
}
.found {
  max-height: 240px;
  overflow-y: auto;
  border-bottom: 1px solid var(--rule);
}
.found button {
  display: grid;
  grid-template-columns: 1fr auto 84px;
  gap: 8px;
  align-items: baseline;
  width: 100%;
  text-align: left;
  padding: 2px 6px;
}
.found .num {
  text-align: right;
}
.found button:hover {
  background: var(--faint);
}
.saves li {
  display: grid;
  grid-template-columns: 1fr 84px 70px 70px 60px;
  gap: 6px;
  align-items: baseline;
  border-bottom: 1px solid var(--rule);
}
.saves .num {
  text-align: right;
}
.diff {
  list-style: none;
  padding: 0 0 0 12px;
}
.diff li {
  display: flex;
  flex-wrap: wrap;
  gap: 0 8px;
}
.kinds td {
  padding: 1px 6px;
}
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 6px;
}
</style>
