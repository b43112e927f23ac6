<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import type { JobView, LadderRow, Overhang, PieceView, Setting, SliceView } from '../api/client'
import { useHouse, useOrderSlice, useSettings } from '../api/queries'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { cube, orderOf, useOrderDraft, type Place } from '../composables/orderDraft'
import { holds, idle } from './fields'

const props = defineProps<{
  job: JobView
  piece: PieceView
  row: LadderRow | undefined
  /** The variant that is looked at. */
  slice: SliceView | undefined
  may: boolean
  /** Whether the panel is the one in view. */
  seen: boolean
}>()
/** Whether a place is being picked in the view. */
const picking = defineModel<boolean>('picking', { default: false })
/** It is to be seen; the field for a setting's name is to have the focus where nothing else does. */
const emit = defineEmits<{ open: [focused: boolean]; sliced: [] }>()
const f = useFormats()
const settings = useSettings()
const order = useOrderSlice()
const asks = useOrderDraft(() => props.piece.id)
const { draft, change, undoable, redoable } = asks
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
const all = ref(false)
const found = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean)
  const known = settings.data.value?.recipe ?? []
  if (!words.length) return all.value ? known : []
  return known.filter((s) =>
    words.every((w) => `${s.key} ${s.name} ${s.text} ${(s.also ?? []).join(' ')}`.toLowerCase().includes(w)),
  )
})
const asked = ref<HTMLElement>()
const focus = (what: string) =>
  void nextTick(() => [...(asked.value?.querySelectorAll<HTMLElement>(what) ?? [])].at(-1)?.focus())
function override(key: string) {
  asks.from(props.slice, shown, (d) => {
    if (!d.overrides.some((o) => o.key === key)) d.overrides.push({ key, value: '', why: '' })
  })
  search.value = ''
  focus(`[data-value="${key}"]`)
}
const shown = (v: number) => f.value.number(v, v === Math.round(v) ? 0 : 2)
const sent = computed(() =>
  props.row ? orderOf(draft.value, props.row.machine_id, (t) => f.value.read(t)) : undefined,
)
/** Why it cannot be sliced on the machine that is looked at; empty where it can. */
const why = computed(() => {
  const r = props.row
  if (!props.may) return 'A coordinator sets this.'
  if (!r?.fits) return `It does not fit on ${r?.name}: there is nothing to slice there.`
  if (r.against) return r.against
  return recipe.value ? '' : `There is no recipe for this purpose on ${r.name}.`
})
const can = computed(() => !why.value && !order.isPending.value)
function send() {
  if (!can.value) return
  if (!sent.value) return emit('open', true) // something is missing: it is shown
  order.mutate({ piece: props.piece.id, order: sent.value }, { onSuccess: () => emit('sliced') })
}

/** A place of the support was marked; it goes on from the variant that is looked at. */
function mark(o: Overhang, putIn: boolean) {
  asks.from(props.slice, shown, (d) => asks.mark(d, o, putIn))
  emit('open', true)
  focus('.mark .why')
}
/** A place was picked in the view: it may be filled otherwise. */
function place(at: readonly [number, number, number]) {
  picking.value = false
  asks.from(props.slice, shown, (d) => d.places.push({ at: [...at], edge: shown(12), shells: '', infill: '', why: '' }))
  emit('open', true)
  focus('.place .short:first-of-type')
}
function pick() {
  if (can.value) picking.value = !picking.value
}
const set = <K extends keyof Place>(i: number, key: K, value: string) =>
  change((d) => {
    const p = d.places[i]
    if (p) Object.assign(p, { [key]: value })
  })
const text = (e: Event) => (e.target as HTMLInputElement | HTMLSelectElement).value
/** The corners of the places, as far as they are typed. */
const boxes = computed(() => draft.value.places.map((p) => cube(p.at, Math.max(0, f.value.read(p.edge) ?? 0))))
defineExpose({ mark, place, draft, boxes, focus: () => focus('#setting-search') })

useKeys('Settings', [
  { key: 'a', does: 'What the next slice is to have otherwise', run: () => emit('open', false) },
  { key: 'b', does: 'Fill a place otherwise that you click', run: pick, when: () => can.value },
  { key: 'l', does: 'Slice with the settings asked for', run: send, when: () => can.value },
  { key: 'Backspace', does: 'Take back what was asked for', run: asks.undo, when: () => props.seen && undoable.value },
  {
    key: 'Shift+Backspace',
    does: 'Ask for it again',
    run: asks.redo,
    when: () => props.seen && redoable.value,
  },
])
</script>

<template>
  <section ref="asked" class="settings" aria-label="Settings of the next slice">
    <h2>
      Settings <span class="small quiet">{{ recipe?.name ?? `no recipe on ${row?.name}` }}</span>
    </h2>
    <template v-if="!why">
      <input
        id="setting-search"
        v-model="search"
        class="search small"
        placeholder="Change a setting: type its name, or what it does"
        aria-label="Search settings"
        @keydown.enter.prevent="found[0] && override(found[0].key)"
      />
      <p v-if="!draft.overrides.length && !draft.marks.length && !draft.places.length && !found.length" class="quiet">
        The next slice is by the house’s recipe, whole.
        <button type="button" class="link" @click="all = true">See all settings</button>
      </p>
      <div v-for="(d, i) in draft.overrides" :key="d.key" class="override small">
        <strong>{{ settingOf(d.key)?.name ?? d.key }}</strong>
        <select
          v-if="settingOf(d.key)?.choices"
          :value="d.value"
          :data-value="d.key"
          :aria-label="`Value of ${d.key}`"
          @change="change((x) => (x.overrides[i]!.value = text($event)))"
        >
          <option v-for="c in settingOf(d.key)?.choices" :key="c">{{ c }}</option>
        </select>
        <input
          v-else
          :value="d.value"
          :data-value="d.key"
          class="num"
          :aria-label="`Value of ${d.key}`"
          :placeholder="now(settingOf(d.key)!)"
          @input="change((x) => (x.overrides[i]!.value = text($event)))"
        />
        <span class="quiet">{{ settingOf(d.key)?.unit }}</span>
        <input
          :value="d.why"
          class="why"
          :aria-label="`Reason for ${d.key}`"
          placeholder="why"
          @input="change((x) => (x.overrides[i]!.why = text($event)))"
          @keydown.enter.prevent="send"
        />
        <button
          type="button"
          :aria-label="`Leave ${d.key} to the recipe`"
          @click="change((x) => x.overrides.splice(i, 1))"
        >
          ×
        </button>
      </div>
      <div v-for="(m, i) in draft.marks" :key="`mark ${i}`" class="override small mark">
        <strong>Support {{ m.put_in ? 'put in' : 'kept out' }} by hand</strong>
        <input
          :value="m.why"
          class="why"
          aria-label="Reason for the place"
          placeholder="why"
          @input="change((x) => (x.marks[i]!.why = text($event)))"
          @keydown.enter.prevent="send"
        />
        <button type="button" aria-label="Leave the place to the recipe" @click="change((x) => x.marks.splice(i, 1))">
          ×
        </button>
      </div>
      <div v-for="(p, i) in draft.places" :key="`place ${i}`" class="override small place">
        <strong>A place at {{ p.at.map((v) => f.number(v, 1)).join(', ') }} mm</strong>
        <label
          ><input
            :value="p.edge"
            class="num short"
            :aria-label="`Edge of place ${i + 1}`"
            @input="set(i, 'edge', text($event))"
          />
          mm wide</label
        >
        <label
          ><input
            :value="p.shells"
            class="num short"
            :placeholder="String(recipe?.shells ?? '')"
            :aria-label="`Shells in place ${i + 1}`"
            @input="set(i, 'shells', text($event))"
          />
          shells</label
        >
        <label
          ><input
            :value="p.infill"
            class="num short"
            :placeholder="String(recipe?.infill_percent ?? '')"
            :aria-label="`Infill in place ${i + 1}`"
            @input="set(i, 'infill', text($event))"
          />
          % infill</label
        >
        <input
          :value="p.why"
          class="why"
          :aria-label="`Reason for place ${i + 1}`"
          placeholder="why"
          @input="set(i, 'why', text($event))"
          @keydown.enter.prevent="send"
        />
        <button
          type="button"
          :aria-label="`Fill place ${i + 1} as the rest`"
          @click="change((x) => x.places.splice(i, 1))"
        >
          ×
        </button>
      </div>
      <div class="row">
        <v-btn id="slice" size="small" color="primary" variant="flat" :disabled="!can || !sent" @click="send"
          >Slice <kbd class="on">L</kbd></v-btn
        >
        <v-btn size="small" :disabled="!can" :aria-pressed="picking" @click="pick"
          >{{ picking ? 'Click the place …' : 'Fill a place otherwise' }} <kbd class="on">B</kbd></v-btn
        >
        <v-btn size="small" :disabled="!undoable" @click="asks.undo">Undo</v-btn>
        <v-btn size="small" :disabled="!redoable" @click="asks.redo">Redo</v-btn>
        <v-btn v-if="!asks.blank.value" size="small" variant="text" @click="asks.clear">As the recipe</v-btn>
      </div>
      <p v-if="can && !sent" class="small quiet">What differs from the recipe needs a value, and a reason.</p>
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
            <span class="quiet num">{{
              s.choices?.length ? `${s.choices.length} choices` : s.least === undefined ? '' : `${s.least} to ${s.most}`
            }}</span>
          </button>
        </li>
      </ul>
    </template>
    <p v-else class="quiet">{{ why }}</p>
  </section>
</template>

<style scoped>
.settings {
  display: grid;
  gap: 8px;
}
.link {
  text-decoration: underline;
  color: var(--accent-words) !important;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
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
.override .short {
  width: 48px;
}
.override .why {
  flex: 1;
  min-width: 120px;
}
.found {
  list-style: none;
  padding: 0;
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
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 6px;
}
</style>
