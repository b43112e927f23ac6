<script setup lang="ts">
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import type { LadderRow } from '../api/client'
import { useHouse, useSettings, type Condition } from '../api/queries'
import { useFormats } from '../composables/format'
import { holds } from './fields'

/** What is to be otherwise than the recipe has it, each with a reason, and how much more it may take for that. */
const props = defineProps<{ row: LadderRow; purpose: string; busy?: boolean }>()
const emit = defineEmits<{ yes: [conditions: Condition[], morePercent: number]; leave: [] }>()
const f = useFormats()
const settings = useSettings()
const house = useHouse()
const usual = ['infill_percent', 'support', 'bed_adhesion', 'layer_mm', 'shells']
const known = computed(() => settings.data.value?.recipe ?? [])
const settingOf = (key: string) => known.value.find((s) => s.key === key)
const recipe = computed(
  () =>
    house.data.value?.recipes.find((r) => r.machine_id === props.row.machine_id && r.data.purpose === props.purpose)
      ?.data,
)
const all = ref<Condition[]>([])
const more = ref('100')
const form = ref<HTMLFormElement>()
const other = ref<HTMLSelectElement>()
// The first is at hand as soon as it is known what can be set.
let focused = false
function begin() {
  const first = form.value?.querySelector<HTMLElement>('.usual button')
  if (focused || !first) return
  focused = true
  first.focus()
}
onMounted(begin)
watch(known, begin, { flush: 'post' })
function add(key: string) {
  if (!key || all.value.some((c) => c.key === key)) return
  all.value.push({ key, value: '', why: all.value.at(-1)?.why ?? '' })
  if (other.value) other.value.value = ''
  void nextTick(() => form.value?.querySelector<HTMLElement>(`[data-value="${key}"]`)?.focus())
}
/** As the server reads them; none while one is unfinished. */
const ready = computed(() => {
  const out = all.value.map((c) => {
    const s = settingOf(c.key)
    const number = s?.type === 'number' || s?.type === 'whole number'
    return { key: c.key, value: number ? String(f.value.read(c.value) ?? '') : c.value.trim(), why: c.why.trim() }
  })
  return out.length && out.every((c) => c.value && c.why) ? out : undefined
})
const percent = computed(() => Math.min(900, Math.max(0, f.value.read(more.value) ?? 0)))
const share = computed(() => 1 + percent.value / 100)
function send() {
  if (ready.value && !props.busy) emit('yes', ready.value, percent.value)
}
</script>

<template>
  <form ref="form" class="conditions" aria-label="Conditions" @submit.prevent="send" @keydown.esc.stop="emit('leave')">
    <p>
      Yes to <strong>{{ row.name }}</strong>, if it is made otherwise than by {{ recipe?.name ?? 'its recipe' }}:
    </p>
    <div class="usual small" role="group" aria-label="What is to be otherwise">
      <button
        v-for="key in usual.filter((k) => settingOf(k))"
        :key="key"
        type="button"
        :aria-pressed="all.some((c) => c.key === key)"
        @click="add(key)"
      >
        {{ settingOf(key)!.name }}
      </button>
      <select ref="other" aria-label="Another setting" @change="add(($event.target as HTMLSelectElement).value)">
        <option value="">Another setting …</option>
        <option v-for="s in known" :key="s.key" :value="s.key">{{ s.name }}</option>
      </select>
    </div>
    <div v-for="(c, i) in all" :key="c.key" class="line small">
      <strong>{{ settingOf(c.key)?.name ?? c.key }}</strong>
      <select
        v-if="settingOf(c.key)?.choices"
        v-model="c.value"
        :data-value="c.key"
        :aria-label="`Value of ${settingOf(c.key)!.name}`"
      >
        <option v-for="v in settingOf(c.key)!.choices" :key="v">{{ v }}</option>
      </select>
      <input
        v-else
        v-model="c.value"
        :data-value="c.key"
        class="num short"
        :placeholder="settingOf(c.key) ? holds(settingOf(c.key)!, recipe) : ''"
        :aria-label="`Value of ${settingOf(c.key)?.name}`"
      />
      <span class="quiet">{{ settingOf(c.key)?.unit }}</span>
      <input
        v-model="c.why"
        class="why"
        maxlength="300"
        placeholder="why"
        :aria-label="`Reason for ${settingOf(c.key)?.name}`"
      />
      <button type="button" :aria-label="`Leave ${settingOf(c.key)?.name} to the recipe`" @click="all.splice(i, 1)">
        ×
      </button>
    </div>
    <p v-if="all.length" class="line small">
      <label
        >It may take up to <input v-model="more" class="num short" aria-label="Percent more" /> % more than now: no more
        than
        <span class="num"
          >{{ f.duration(row.seconds! * share) }}, {{ f.grams(row.grams! * share) }},
          {{ f.money(row.price_cents! * share) }}</span
        ></label
      >
    </p>
    <div class="line">
      <v-btn type="submit" color="primary" variant="flat" :disabled="!ready" :loading="busy"
        >Yes, on these conditions</v-btn
      >
      <v-btn variant="text" @click="emit('leave')">Leave it</v-btn>
      <span v-if="all.length && !ready" class="small quiet">Each needs a value, and a reason.</span>
    </div>
  </form>
</template>

<style scoped>
.conditions {
  flex: 1 1 100%;
  display: grid;
  gap: 8px;
}
.usual,
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 8px;
  align-items: center;
}
.usual button {
  background: transparent;
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 2px 10px;
}
.usual button[aria-pressed='true'] {
  border-color: var(--ink);
}
input,
select {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 2px 6px;
  background: var(--card);
  color: var(--ink);
}
.short {
  width: 76px;
  text-align: right;
}
.why {
  flex: 1 1 180px;
}
</style>
