<script setup lang="ts">
import { ref, watch } from 'vue'
import type { Use } from '../api/client'
import { useFormats } from '../composables/format'

/** What a job is for: ticks, a warmth, a colour. */
const use = defineModel<Use>({ required: true })
const f = useFormats()
const ticks: { key: 'outdoors' | 'flexible' | 'load' | 'fits'; text: string }[] = [
  { key: 'outdoors', text: 'stays outdoors' },
  { key: 'flexible', text: 'has to bend' },
  { key: 'load', text: 'carries load' },
  { key: 'fits', text: 'has to fit another part' },
]
function set(change: Partial<Use>) {
  const next = { ...use.value, ...change }
  // What is not said is left out.
  use.value = Object.fromEntries(Object.entries(next).filter(([, v]) => v)) as Use
}
// What was typed stays, though it cannot be meant.
const typed = ref('')
watch(
  () => use.value.warm_c,
  (c) => (typed.value = c ? f.value.number(c, c % 1 ? 1 : 0) : ''),
  { immediate: true },
)
const odd = ref('')
function sayWarm(text: string) {
  const c = text.trim() ? f.value.read(text) : 0
  odd.value = c === undefined || c < 0 || c > 300 ? `“${text}” is no warmth from 0 to 300 °C.` : ''
  if (!odd.value) set({ warm_c: c })
}
</script>

<template>
  <fieldset class="use">
    <legend class="small quiet">What it is for</legend>
    <label v-for="t in ticks" :key="t.key" class="tick"
      ><input
        type="checkbox"
        :checked="!!use[t.key]"
        @change="set({ [t.key]: ($event.target as HTMLInputElement).checked })"
      />
      {{ t.text }}</label
    >
    <label class="tick"
      >gets warm, to
      <input
        class="num warm"
        inputmode="decimal"
        v-model="typed"
        aria-label="Gets warm to, °C"
        @change="sayWarm(typed)"
      />
      °C</label
    >
    <label class="tick"
      >in
      <input
        class="colour"
        :value="use.colour ?? ''"
        maxlength="40"
        placeholder="any colour"
        aria-label="Colour"
        @change="set({ colour: ($event.target as HTMLInputElement).value.trim() })"
    /></label>
    <p v-if="odd" role="alert" class="small">■ {{ odd }}</p>
  </fieldset>
</template>

<style scoped>
.use {
  border: none;
  display: flex;
  flex-wrap: wrap;
  gap: 3px 14px;
}
legend {
  padding: 0;
}
.tick {
  display: flex;
  gap: 6px;
  align-items: center;
}
.warm,
.colour {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 0 4px;
  background: var(--card);
  color: var(--ink);
}
.warm {
  width: 52px;
  text-align: right;
}
.colour {
  width: 120px;
}
p {
  flex: 1 1 100%;
}
</style>
