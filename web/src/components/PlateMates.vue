<script setup lang="ts">
import { computed } from 'vue'
import type { BesideView, RunView } from '../api/client'
import { useBeside, useCancelSlice, usePutTogether, useRemoveSlice, useTakeOut } from '../api/queries'
import { useFormats } from '../composables/format'

const props = defineProps<{ run: RunView }>()
const f = useFormats()
const beside = useBeside(() => (props.run.movable && !props.run.unsliced ? props.run.id : undefined))
const put = usePutTogether()
const out = useTakeOut()
const cancel = useCancelSlice()
const remove = useRemoveSlice()
type Could = BesideView['could'][number]
const could = computed(() => beside.data.value?.could.filter((c) => !c.against) ?? [])
const cannot = computed(() => beside.data.value?.could.filter((c) => c.against) ?? [])
const made = computed(() => beside.data.value?.made ?? [])
const busy = computed(() => put.isPending.value || made.value.some((m) => !m.error))
const shares = computed(() => props.run.shares ?? [])
/** How many are listed of what could lie there, and of whom that moves. */
const most = 3

function putBeside(c: Could | undefined) {
  if (c && !busy.value) put.mutate({ id: props.run.id, guest: c.run_id })
}
function takeOut(s: { job_id: number; title: string } | undefined) {
  if (s && props.run.movable && !out.isPending.value) out.mutate({ id: props.run.id, job: s.job_id, title: s.title })
}
/** Whose job is done sooner, then whose later, the latest first. */
const moves = (c: Could) => [
  ...c.sooner.map((d) => `${d.title} ${f.value.duration(60 * d.minutes)} sooner`),
  ...c.delays
    .toSorted((a, b) => Number(b.late) - Number(a.late) || b.minutes - a.minutes)
    .map((d) => `${d.title} ${f.value.duration(60 * d.minutes)} later${d.late ? ', too late for its day' : ''}`),
]
function said(c: Could) {
  const all = moves(c)
  const rest = all.length > most ? `, and ${all.length - most} more` : ''
  return (
    [`one start less, ${f.value.duration(c.saves_seconds ?? 0)} less of the machine`, ...all.slice(0, most)].join(
      ', ',
    ) + rest
  )
}
const names = (all: Could[], of: (c: Could) => string) =>
  all.slice(0, most).map(of).join(', ') + (all.length > most ? ` and ${all.length - most} more` : '')
defineExpose({ putFirst: () => putBeside(could.value[0]), takeLastOut: () => takeOut(shares.value.at(-1)) })
</script>

<template>
  <div v-if="shares.length || busy || made.length || could.length || cannot.length" class="mates small">
    <section v-if="shares.length" aria-label="On this plate">
      <b>On this plate</b>
      <ul>
        <li v-for="(s, k) in shares" :key="s.job_id" :data-share="s.job_id">
          <RouterLink :to="`/bench/${s.job_id}`">{{ s.title }}</RouterLink>
          <span class="quiet" :class="{ lateword: s.late }"
            >{{ s.member }}{{ s.needed_by ? `, by ${f.day(s.needed_by)}` : '' }}{{ s.late ? ', late' : '' }}</span
          >
          <span class="num">{{ f.duration(s.seconds) }} · {{ f.grams(s.grams) }} · {{ f.money(s.price_cents) }}</span>
          <button v-if="run.movable" type="button" class="link" @click="takeOut(s)">take out</button>
          <kbd v-if="run.movable && k === shares.length - 1">Shift + J</kbd>
        </li>
      </ul>
    </section>
    <section v-if="busy || made.length" aria-label="Being put together" aria-live="polite">
      <p v-if="!made.length">The two are sliced as one plate …</p>
      <p v-for="m in made" :key="m.slice_id" :class="{ lateword: m.error }">
        <template v-if="m.error">{{ m.with }} do not go on one plate: {{ m.error }}</template>
        <template v-else
          >{{ m.with }} are sliced as one plate, <span class="num">{{ Math.round(100 * m.fraction) }} %</span></template
        >
        <button type="button" class="link" @click="m.error ? remove.mutate(m.slice_id) : cancel.mutate(m.slice_id)">
          {{ m.error ? 'remove' : 'cancel' }}
        </button>
      </p>
    </section>
    <section v-if="could.length && !busy" aria-label="Could lie on this plate, too">
      <b>Could lie on this plate, too</b>
      <ul>
        <li v-for="(c, k) in could.slice(0, most)" :key="c.run_id" :data-guest="c.run_id">
          <button type="button" class="link" @click="putBeside(c)">{{ c.title }}</button>
          <kbd v-if="!k">J</kbd>
          <span class="quiet">{{ c.member }}</span>
          <span :class="{ lateword: c.delays.some((d) => d.late) }" :title="moves(c).join(', ')">{{ said(c) }}</span>
        </li>
      </ul>
      <p v-if="could.length > most" class="quiet">And {{ names(could.slice(most), (c) => c.title) }}</p>
    </section>
    <p v-if="cannot.length && !busy" class="quiet not">
      Not on this plate: {{ names(cannot, (c) => `${c.title} (${c.against})`) }}
    </p>
  </div>
</template>

<style scoped>
.mates {
  flex: 1 1 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 28px;
  border-top: 1px solid var(--rule);
  padding-top: 6px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
li > * {
  margin-right: 0.5em;
}
p {
  margin: 0;
}
.not {
  flex: 1 1 100%;
}
.link {
  text-decoration: underline;
  color: var(--accent-words) !important;
}
.lateword {
  color: var(--stop);
  font-weight: 600;
}
</style>
