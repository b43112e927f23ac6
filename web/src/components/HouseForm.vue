<script setup lang="ts">
import { computed, ref } from 'vue'
import type { HouseSettings, HouseView } from '../api/client'
import { useDraft, type Spot } from '../composables/draft'
import { useFormats } from '../composables/format'
import { useUnsaved } from '../composables/unsaved'
import ChangedMeanwhile from './ChangedMeanwhile.vue'
import { hoursText, parseHours, valuesOf } from './fields'

/** Opening hours and what goes for the whole house. */
const props = defineProps<{
  house: HouseSettings
  texts: HouseView['texts']
  editable: boolean
  save: (h: HouseSettings) => Promise<void>
}>()
const f = useFormats()

interface Written {
  settings: HouseSettings
  hours: string[]
  fee: string
  sooner: string
}
const days = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday']
const week = [1, 2, 3, 4, 5, 6, 0]
const written = computed<Written>(() => ({
  settings: { ...props.house },
  hours: props.house.week.map(hoursText),
  fee: f.value.typed(props.house.start_cents / 100, 2),
  sooner: f.value.typed(props.house.sooner_cents / 100, 2),
}))
const setting = <K extends keyof HouseSettings>(key: K, label: string): Spot<Written> => ({
  label,
  get: (w) => w.settings[key],
  set: (w, v) => void (w.settings[key] = v as HouseSettings[K]),
})
const spots: Spot<Written>[] = [
  setting('name', 'Name'),
  setting('longest_run_min', 'Longest run'),
  setting('attendance_min', 'Somebody stays'),
  setting('currency', 'Currency'),
  setting('locale', 'Language and country'),
  setting('time_zone', 'Time zone'),
  setting('file_pattern', 'Files are named'),
  { label: 'Fee for a start', get: (w) => w.fee, set: (w, v) => void (w.fee = v as string) },
  { label: 'An hour sooner is worth', get: (w) => w.sooner, set: (w, v) => void (w.sooner = v as string) },
  ...week.map((d): Spot<Written> => ({
    label: days[d]!,
    get: (w) => w.hours[d],
    set: (w, v) => void (w.hours[d] = v as string),
  })),
]
const { draft, dirty, meanwhile, clashes, putBack } = useDraft(
  () => written.value,
  () => spots,
)
useUnsaved(
  () => 'hours and fees',
  () => dirty.value,
)

const problem = ref('')
const busy = ref(false)
async function send() {
  const d = draft.value
  if (!d) return
  problem.value = ''
  const spans = d.hours.map(parseHours)
  const bad = spans.findIndex((s) => !s)
  if (bad >= 0) {
    problem.value = `${days[bad]}: write hours as 10:00–13:00, 14:00–21:00, or leave it empty for closed.`
    return
  }
  const fee = f.value.read(d.fee)
  if (fee === undefined || fee < 0) {
    problem.value = `Fee for a start: “${d.fee}” cannot be read as a price; write it like ${f.value.typed(1.35, 2)}.`
    return
  }
  const sooner = f.value.read(d.sooner)
  if (sooner === undefined || sooner < 0) {
    problem.value = `An hour sooner is worth: “${d.sooner}” cannot be read as an amount; write it like ${f.value.typed(0.4, 2)}.`
    return
  }
  busy.value = true
  try {
    await props.save({
      ...d.settings,
      revision: props.house.revision,
      week: spans as HouseSettings['week'],
      start_cents: Math.round(fee * 100),
      sooner_cents: Math.round(sooner * 100),
    })
    meanwhile.value = false
  } catch (e) {
    problem.value = (e as Error).message
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <form v-if="draft" class="settings" @submit.prevent="send">
    <fieldset>
      <legend><h2>Opening hours</h2></legend>
      <p class="quiet small">Runs start only while somebody is here. Leave a day empty when the house is closed.</p>
      <v-text-field
        v-for="d in week"
        :key="d"
        v-model="draft.hours[d]"
        :label="days[d]"
        :readonly="!editable"
        placeholder="closed"
        persistent-placeholder
        class="n"
      />
    </fieldset>
    <fieldset>
      <legend><h2>The house</h2></legend>
      <v-text-field v-model="draft.settings.name" label="Name" :readonly="!editable" />
      <v-text-field
        v-model.number="draft.settings.longest_run_min"
        label="Longest run without asking, 0: any"
        suffix="min"
        type="number"
        :readonly="!editable"
        class="n"
      />
      <v-text-field
        v-model.number="draft.settings.attendance_min"
        label="Somebody stays after a start"
        suffix="min"
        type="number"
        :readonly="!editable"
        class="n"
      />
      <v-text-field
        v-model="draft.fee"
        label="Fee for a start"
        inputmode="decimal"
        :prefix="draft.settings.currency"
        :readonly="!editable"
        class="n"
      />
      <v-text-field
        v-model="draft.sooner"
        label="An hour sooner is worth"
        inputmode="decimal"
        :prefix="draft.settings.currency"
        :readonly="!editable"
        hint="A proposal weighs price against time by it"
        persistent-hint
        class="n"
      />
      <v-text-field v-model="draft.settings.currency" label="Currency (ISO 4217)" :readonly="!editable" />
      <v-text-field
        v-model="draft.settings.locale"
        label="Language and country, for dates and numbers"
        :readonly="!editable"
      />
      <v-text-field v-model="draft.settings.time_zone" label="Time zone" :readonly="!editable" />
      <v-text-field
        v-model="draft.settings.file_pattern"
        label="Files are named"
        :placeholder="texts.file_pattern"
        persistent-placeholder
        :readonly="!editable"
        class="n"
        :hint="valuesOf(texts.file_names)"
        persistent-hint
      />
      <ChangedMeanwhile v-if="meanwhile" :clashes="clashes" @theirs="putBack" />
      <p v-if="problem" role="alert" class="problem">■ {{ problem }}</p>
      <div v-if="editable" class="row">
        <v-btn type="submit" color="primary" variant="flat" :disabled="!dirty" :loading="busy">Save</v-btn>
        <v-btn variant="text" :disabled="!dirty" @click="putBack">Put back</v-btn>
      </div>
      <p v-else class="quiet small">Only a steward may change this.</p>
    </fieldset>
  </form>
</template>

<style scoped>
.settings {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(300px, 1fr));
  gap: 40px;
  max-width: 900px;
}
fieldset {
  border: none;
  display: grid;
  gap: 11px;
  align-content: start;
}
.n :deep(input) {
  font-family: var(--font-number);
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
