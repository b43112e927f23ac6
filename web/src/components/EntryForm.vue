<script setup lang="ts">
import { computed, ref } from 'vue'
import { Refusal } from '../api/client'
import { useDraft, type Spot } from '../composables/draft'
import { useCurrency, useFormats } from '../composables/format'
import { useUnsaved } from '../composables/unsaved'
import ChangedMeanwhile from './ChangedMeanwhile.vue'
import { fieldsWith, idle, plainNumber, setAt, valueAt, type Field } from './fields'

const f = useFormats()
const currency = useCurrency()
const props = defineProps<{
  title: string
  data: object
  fields: Field[]
  editable: boolean
  rows?: boolean
  save: (data: object) => Promise<void>
}>()
const problem = ref('')
const problems = ref<Record<string, string>>({})
const busy = ref(false)
// What was typed and cannot be read, by path: it stays in the field, and nothing is saved.
const unread = ref<Record<string, string>>({})

const spots = computed(() =>
  props.fields.map((x): Spot<object> => ({
    label: x.label,
    get: (d) => valueAt(d, x.path),
    set: (d, v) => setAt(d, x.path, v),
  })),
)
const {
  draft: written,
  dirty,
  meanwhile,
  clashes,
  putBack,
} = useDraft<object>(
  () => props.data,
  () => spots.value,
)
const draft = computed(() => written.value ?? {})
function reset() {
  putBack()
  problem.value = ''
  problems.value = {}
  unread.value = {}
}
const changed = computed(() => dirty.value || Object.keys(unread.value).length > 0)
useUnsaved(
  () => props.title,
  () => changed.value,
)

const search = ref('')
const shown = computed(() =>
  fieldsWith(props.fields, search.value).filter((x) => x.only?.(draft.value as Record<string, unknown>) ?? true),
)

/** Numbers of a list stand apart by a sign that is in none of them. */
const between = computed(() => (f.value.typed(0.5).includes(',') ? '; ' : ', '))
function text(x: Field): string {
  const typed = unread.value[x.path]
  if (typed !== undefined) return typed
  const v = valueAt(draft.value, x.path)
  if (x.kind === 'money') return f.value.typed((v as number) / 100, 2)
  if (x.kind === 'numbers') return ((v as number[] | null) ?? []).map((n) => f.value.typed(n)).join(between.value)
  if (v === 0 && x.empty && !x.zero) return ''
  return typeof v === 'number' ? f.value.typed(v) : plainNumber(v)
}
function put(x: Field, raw: string) {
  let v: unknown = raw
  delete unread.value[x.path]
  if (x.kind === 'numbers') {
    const all = raw
      .split(between.value.trim())
      .filter((s) => s.trim())
      .map((s) => f.value.read(s))
    if (all.includes(undefined)) return void (unread.value[x.path] = raw)
    v = all
  } else if (x.kind === undefined || x.kind === 'number' || x.kind === 'money') {
    const n = raw.trim() ? f.value.read(raw) : 0
    if (n === undefined || (x.kind === 'money' && Math.abs(n * 100 - Math.round(n * 100)) > 1e-6))
      return void (unread.value[x.path] = raw)
    v = x.kind === 'money' ? Math.round(n * 100) : x.zero && !raw.trim() ? undefined : n
  }
  setAt(draft.value, x.path, v)
}
function wrong(x: Field): string | undefined {
  const typed = unread.value[x.path]
  if (typed !== undefined) {
    const as = x.kind === 'money' ? 'a price' : 'a number'
    return `${typed} cannot be read as ${as}; write it like ${f.value.typed(1.35)}`
  }
  return problems.value[x.path] ?? Object.entries(problems.value).find(([k]) => k.startsWith(`${x.path}[`))?.[1]
}

async function send() {
  if (Object.keys(unread.value).length || !written.value) return
  busy.value = true
  problem.value = ''
  problems.value = {}
  try {
    await props.save(written.value)
    meanwhile.value = false
  } catch (e) {
    problem.value = (e as Error).message
    if (e instanceof Refusal) problems.value = e.fields
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <form class="form" @submit.prevent="send">
    <h2>{{ title }}</h2>
    <template v-if="rows">
      <input
        v-model="search"
        class="search"
        placeholder="Find a setting: type its name, or what it does"
        aria-label="Find a setting"
      />
      <div class="rows">
        <label v-for="x in shown" :key="x.path" class="line small" :class="{ idle: idle(x.needs, draft) }">
          <span
            ><strong>{{ x.label }}</strong> <span v-if="x.does" class="quiet does">{{ x.does }}</span><template
              v-if="idle(x.needs, draft)"
            >
              (needs: {{ fields.find((o) => o.path === x.needs)?.label }})</template
            ></span
          >
          <select
            v-if="x.kind === 'choice'"
            :value="valueAt(draft, x.path)"
            :disabled="!editable"
            @change="setAt(draft, x.path, ($event.target as HTMLSelectElement).value)"
          >
            <option v-for="c in x.choices" :key="c">{{ c }}</option>
          </select>
          <input
            v-else
            :inputmode="x.kind === 'text' ? undefined : 'decimal'"
            :class="{ num: x.kind !== 'text' }"
            :value="text(x)"
            :placeholder="x.empty"
            :readonly="!editable"
            @change="put(x, ($event.target as HTMLInputElement).value)"
          />
          <span class="quiet">{{ x.unit }}</span>
          <em v-if="wrong(x)" class="problem">{{ wrong(x) }}</em>
        </label>
        <p v-if="!shown.length" class="quiet small">No setting is described so.</p>
      </div>
    </template>
    <div v-else class="grid">
      <template v-for="x in shown" :key="x.path">
        <v-checkbox
          v-if="x.kind === 'bool'"
          :label="x.label"
          :model-value="valueAt(draft, x.path)"
          :disabled="!editable"
          @update:model-value="setAt(draft, x.path, $event)"
        />
        <v-select
          v-else-if="x.kind === 'choice'"
          :label="x.label"
          :items="x.choices"
          :model-value="valueAt(draft, x.path) as string"
          :readonly="!editable"
          :error-messages="wrong(x)"
          @update:model-value="setAt(draft, x.path, $event)"
        />
        <label v-else-if="x.kind === 'colour'" class="colour small"
          >{{ x.label }}
          <input
            type="color"
            :value="valueAt(draft, x.path)"
            :disabled="!editable"
            @input="setAt(draft, x.path, ($event.target as HTMLInputElement).value)"
        /></label>
        <v-textarea
          v-else-if="x.kind === 'lines'"
          class="wide n"
          :label="x.label"
          rows="2"
          auto-grow
          :hint="x.hint"
          :persistent-hint="!!x.hint"
          :placeholder="x.empty"
          persistent-placeholder
          :model-value="text(x)"
          :readonly="!editable"
          :error-messages="wrong(x)"
          @update:model-value="put(x, $event as string)"
        />
        <v-text-field
          v-else
          :label="x.label"
          :suffix="x.kind === 'money' ? currency : x.unit"
          :inputmode="x.kind === 'text' ? undefined : 'decimal'"
          :placeholder="x.empty"
          :persistent-placeholder="!!x.empty"
          :model-value="text(x)"
          :readonly="!editable"
          :error-messages="wrong(x)"
          :class="{ n: x.kind !== 'text' }"
          @change="put(x, ($event.target as HTMLInputElement).value)"
        />
      </template>
    </div>
    <ChangedMeanwhile v-if="meanwhile" :clashes="clashes" @theirs="reset" />
    <p v-if="problem" role="alert" class="problem">■ {{ problem }}</p>
    <div v-if="editable" class="row">
      <v-btn
        type="submit"
        color="primary"
        variant="flat"
        :disabled="!dirty || Object.keys(unread).length > 0"
        :loading="busy"
        >Save</v-btn
      >
      <v-btn variant="text" :disabled="!changed" @click="reset">Put back</v-btn>
    </div>
    <p v-else class="quiet small">Only a steward may change this.</p>
  </form>
</template>

<style scoped>
.form {
  display: grid;
  gap: 12px;
}
.grid {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(178px, 1fr));
  gap: 12px;
  align-items: center;
}
.wide {
  grid-column: 1 / -1;
}
.wide :deep(textarea) {
  font-family: var(--font-number);
  font-size: 0.86rem;
}
.search {
  border: 1px solid var(--ink);
  border-radius: 3px;
  padding: 5px 10px;
  background: var(--card);
  color: var(--ink);
}
.rows {
  max-height: 58vh;
  overflow-y: auto;
  border-top: 1.5px solid var(--ink);
}
.line {
  display: grid;
  grid-template-columns: 1fr 150px 52px;
  gap: 2px 10px;
  align-items: center;
  padding: 3px 4px;
  border-bottom: 1px solid var(--rule);
}
.idle > span {
  color: var(--quiet);
  font-style: italic;
}
.line :is(input, select) {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 6px;
  background: var(--card);
  color: var(--ink);
  width: 100%;
}
.line input.num {
  text-align: right;
}
.line .problem {
  grid-column: 1 / -1;
}
.n :deep(input) {
  font-family: var(--font-number);
  text-align: right;
}
.colour {
  display: flex;
  gap: 10px;
  align-items: center;
}
.colour input {
  width: 48px;
  height: 30px;
}
.problem {
  color: var(--stop);
  font-weight: 600;
}
.row {
  display: flex;
  gap: 10px;
}
</style>
