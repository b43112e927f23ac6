<script setup lang="ts">
import { computed, ref } from 'vue'
import type { WearView } from '../api/client'
import { useAddPart, useHouse, useRemovePart, useSetPart } from '../api/queries'
import { useFormats } from '../composables/format'
import { useUnsaved } from '../composables/unsaved'

/** A part that wears out, and what it is good for. */
const props = defineProps<{ part?: WearView }>()
const emit = defineEmits<{ done: [] }>()
const f = useFormats()
const house = useHouse()
const add = useAddPart()
const set = useSetPart()
const remove = useRemovePart()
/** It is asked once more: what it has done is forgotten. */
const sure = ref(false)
function leaveOff() {
  if (!sure.value) sure.value = true
  else if (props.part) remove.mutate({ part: props.part }, { onSuccess: () => emit('done') })
}
const machines = computed(() => house.data.value?.machines ?? [])
const typed = (v?: number) => (v ? f.value.typed(v) : '')
const machine = ref(props.part?.machine_id)
const name = ref(props.part?.name ?? '')
const nozzle = ref(props.part?.nozzle ?? 0)
const limitHours = ref(typed(props.part?.limit_hours))
const limitGrams = ref(typed(props.part?.limit_grams))
const hours = ref('')
const grams = ref('')
const nozzles = computed(() => machines.value.find((m) => m.id === machine.value)?.data.nozzles_mm?.length ?? 0)
useUnsaved(
  () => 'the part',
  () => name.value.trim() !== (props.part?.name ?? ''),
)
const read = (text: string) => (text.trim() ? f.value.read(text) : 0)
const body = computed(() => {
  const [lh, lg, h, g] = [limitHours, limitGrams, hours, grams].map((x) => read(x.value))
  if (!machine.value || !name.value.trim() || lh === undefined || lg === undefined) return
  if (h === undefined || g === undefined || Math.min(lh, lg, h, g) < 0) return
  const is = { name: name.value.trim(), nozzle: nozzle.value, limit_hours: lh, limit_grams: lg }
  return { is, machine_id: machine.value, hours: h, grams: g }
})
function save() {
  if (!body.value) return
  const done = { onSuccess: () => emit('done') }
  const { is, ...rest } = body.value
  if (props.part) set.mutate({ part: props.part, ...is }, done)
  else add.mutate({ ...is, ...rest }, done)
}
</script>

<template>
  <form class="part" @submit.prevent="save">
    <h2>{{ part ? `Change ${part.name}` : 'Count another part' }}</h2>
    <label class="pick"
      >Machine
      <select v-model="machine" required :disabled="!!part">
        <option v-for="m in machines" :key="m.id" :value="m.id">{{ m.data.name }}</option>
      </select>
    </label>
    <v-text-field
      v-model="name"
      label="Name, as it is called in the house"
      density="compact"
      hide-details
      maxlength="60"
    />
    <label v-if="nozzles > 0" class="pick"
      >Counts
      <select v-model="nozzle">
        <option :value="0">all that the machine lays</option>
        <option v-for="n in nozzles" :key="n" :value="n">what goes through nozzle {{ n }}</option>
      </select>
    </label>
    <div class="two">
      <v-text-field v-model="limitHours" label="Good for" suffix="h" density="compact" hide-details />
      <v-text-field v-model="limitGrams" label="or" suffix="g" density="compact" hide-details />
    </div>
    <div v-if="!part" class="two">
      <v-text-field v-model="hours" label="Has done already" suffix="h" density="compact" hide-details />
      <v-text-field v-model="grams" label="and" suffix="g" density="compact" hide-details />
    </div>
    <p class="small quiet">
      Whichever is reached first. From then on somebody says before each start that it was looked at.
    </p>
    <v-btn
      type="submit"
      color="primary"
      variant="flat"
      :disabled="!body || add.isPending.value || set.isPending.value"
      >{{ part ? 'Save' : 'Count it' }}</v-btn
    >
    <v-btn v-if="part" variant="text" :color="sure ? 'error' : undefined" @click="leaveOff">{{
      sure ? 'Yes, forget what it has done' : 'Count it no longer'
    }}</v-btn>
  </form>
</template>

<style scoped>
.part {
  display: grid;
  gap: 12px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
.pick {
  display: flex;
  gap: 10px;
  align-items: center;
}
select {
  flex: 1;
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 6px 8px;
  background: var(--card);
  color: var(--ink);
}
</style>
