<script setup lang="ts">
import { computed } from 'vue'
import type { Condition, RuleFact } from '../api/client'
import { useFormats } from '../composables/format'
import { emptyOf, groupOf, joinWords, type Join } from './rules'

/** Conditions that are joined: each a fact held against a value, or a group of its own. */
const props = defineProps<{ facts: readonly RuleFact[]; editable: boolean; deep: number }>()
const group = defineModel<Condition>({ required: true })
const emit = defineEmits<{ remove: [] }>()
const f = useFormats()
const parts = computed(() => groupOf(group.value))
function set(join: Join, of: Condition[]) {
  group.value = { [join]: of }
}
const change = (i: number, c: Condition) =>
  set(
    parts.value.join,
    parts.value.of.map((x, k) => (k === i ? c : x)),
  )
const factOf = (c: Condition) => props.facts.find((x) => x.key === c.fact)
function take(i: number) {
  const left = parts.value.of.filter((_, k) => k !== i)
  if (left.length) set(parts.value.join, left)
  else if (props.deep > 0) emit('remove')
}
const typed = (c: Condition) =>
  factOf(c)?.kind === 'number' ? f.value.typed(c.number ?? 0, (c.number ?? 0) % 1 ? 2 : 0) : (c.names ?? []).join(', ')
function say(i: number, c: Condition, text: string) {
  if (factOf(c)?.kind === 'number') {
    const number = f.value.read(text)
    if (number !== undefined) change(i, { ...c, number })
    return
  }
  change(i, {
    ...c,
    names: text
      .split(',')
      .map((s) => s.trim())
      .filter(Boolean),
  })
}
</script>

<template>
  <fieldset class="group" :class="{ inner: deep }" :disabled="!editable">
    <legend class="small">
      <select
        :value="parts.join"
        aria-label="How they are joined"
        @change="set(($event.target as HTMLSelectElement).value as Join, parts.of)"
      >
        <option v-for="(text, j) in joinWords" :key="j" :value="j">{{ text }}</option>
      </select>
    </legend>
    <template v-for="(c, i) in parts.of" :key="i">
      <RuleGroup
        v-if="!c.fact"
        :model-value="c"
        :facts="facts"
        :editable="editable"
        :deep="deep + 1"
        @update:model-value="change(i, $event)"
        @remove="take(i)"
      />
      <div v-else class="line">
        <select
          :value="c.fact"
          aria-label="What is asked"
          @change="change(i, emptyOf(facts, ($event.target as HTMLSelectElement).value))"
        >
          <option v-for="x in facts" :key="x.key" :value="x.key">{{ x.name }}</option>
        </select>
        <select
          :value="c.op"
          aria-label="How it is held"
          @change="change(i, { ...c, op: ($event.target as HTMLSelectElement).value as Condition['op'] })"
        >
          <option v-for="o in factOf(c)?.ops" :key="o" :value="o">{{ o }}</option>
        </select>
        <template v-if="factOf(c)?.kind !== 'flag'">
          <input
            :value="typed(c)"
            :class="factOf(c)?.kind === 'number' ? 'num short' : 'long'"
            :list="`names-${c.fact}`"
            :aria-label="factOf(c)?.kind === 'number' ? 'The number' : 'Names, with commas between'"
            @change="say(i, c, ($event.target as HTMLInputElement).value)"
          />
          <datalist v-if="factOf(c)?.names" :id="`names-${c.fact}`">
            <option v-for="n in factOf(c)?.names" :key="n" :value="n" />
          </datalist>
          <span v-if="factOf(c)?.unit && factOf(c)?.unit !== 'money'" class="small">{{ factOf(c)?.unit }}</span>
        </template>
        <button v-if="editable" type="button" class="x" :aria-label="`Leave out: ${factOf(c)?.name}`" @click="take(i)">
          ×
        </button>
      </div>
    </template>
    <p v-if="editable" class="small more">
      <button type="button" @click="set(parts.join, [...parts.of, emptyOf(facts, 'hours')])">and ask more</button>
      <button v-if="deep < 2" type="button" @click="set(parts.join, [...parts.of, { any: [emptyOf(facts, 'hours')] }])">
        a group in it
      </button>
    </p>
  </fieldset>
</template>

<style scoped>
.group {
  border: none;
  border-left: 3px solid var(--accent);
  padding: 2px 0 2px 10px;
  display: grid;
  gap: 4px;
}
.inner {
  border-left-color: var(--rule);
}
.line,
.more {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
}
select,
input {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 5px;
  background: var(--card);
  color: var(--ink);
}
.short {
  width: 76px;
  text-align: right;
}
.long {
  flex: 1 1 150px;
}
.more button {
  text-decoration: underline;
  text-underline-offset: 3px;
  color: var(--accent);
}
.x {
  font-size: 1.1rem;
  padding: 0 4px;
}
</style>
