<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import type { PartView } from '../api/client'
import { useAdvance, useFetchBy, useFinishing, usePutAt, useTellSteps } from '../api/queries'
import RoomState from '../components/RoomState.vue'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { useRoomTitle } from '../composables/title'

const f = useFormats()
useRoomTitle('Finishing')
const query = useFinishing()
const parts = computed(() => query.data.value ?? [])
const under = computed(() => parts.value.filter((p) => p.state === 'finishing'))
const waiting = computed(() => parts.value.filter((p) => p.state === 'pick-up'))
const tell = useTellSteps()
const put = usePutAt()
const fetch = useFetchBy()
const ready = useAdvance()
const busy = computed(() => [tell, fetch, ready].some((x) => x.isPending.value))

type Step = PartView['steps'][number]
const words: Record<Step['kind'], string> = {
  'take support off': 'Take support off',
  soak: 'Soak',
  wash: 'Wash',
  cure: 'Cure',
  sand: 'Sand',
}
const mark = { 'to do': '○', 'under way': '◐', done: '●' }
const places = reactive<Record<number, string>>({})
const together = reactive<Record<number, boolean>>({})
const isLast = (p: PartView, s: Step) => p.steps.at(-1)?.id === s.id
const inBath = (s: Step) =>
  parts.value.flatMap((p) => p.steps).filter((o) => s.bath && o.bath === s.bath && o.state === 'under way')
function begins(s: Step) {
  tell.mutate({ steps: together[s.id] ? [s.id, ...s.others] : [s.id], what: 'begins' })
  together[s.id] = false
}
function ends(p: PartView, s: Step) {
  const all = inBath(s)
  const last = isLast(p, s)
  tell.mutate({
    steps: all.length > 1 ? all.map((o) => o.id) : [s.id],
    what: 'ends',
    place: (last && places[p.job_id]) || undefined,
  })
}
const isReady = (p: PartView) =>
  ready.mutate({ id: p.job_id, revision: p.revision, place: places[p.job_id] || undefined })
/** The first step that somebody can do something about, for the key. */
const first = computed(() => {
  for (const p of under.value) {
    const s = p.steps.find((x) => x.may.includes('begins') || x.may.includes('ends'))
    if (s) return { p, s }
  }
  return undefined
})
function goOn() {
  const at = first.value
  if (!at) return
  if (at.s.may.includes('begins') && at.s.wait_min) begins(at.s)
  else ends(at.p, at.s)
}

const code = ref('')
const codeField = ref<{ focus(): void }>()
const wrong = ref('')
function fetched() {
  if (!code.value.trim()) return
  wrong.value = ''
  fetch.mutate(
    { code: code.value },
    { onSuccess: () => void (code.value = ''), onError: (e) => void (wrong.value = (e as Error).message) },
  )
}
useKeys('Finishing', [
  { key: 'c', does: 'Somebody comes with a code', run: () => codeField.value?.focus() },
  { key: 'x', does: 'The next step begins, or is done', run: goOn, when: () => !!first.value && !busy.value },
])
</script>

<template>
  <article class="finishing">
    <header>
      <RouterLink to="/shelf" class="small">← Shelf</RouterLink>
      <h1>Finishing and fetching</h1>
      <form class="code" @submit.prevent="fetched">
        <v-text-field
          ref="codeField"
          v-model="code"
          label="Somebody comes: the code ( C )"
          density="compact"
          hide-details
          maxlength="40"
          autocomplete="off"
          @keydown.esc="code = ''"
        />
        <v-btn id="hand-over" type="submit" color="primary" variant="flat" :disabled="!code.trim() || busy"
          >Hand it over</v-btn
        >
      </form>
    </header>
    <p v-if="wrong" class="wrong" role="alert">■ {{ wrong }}</p>
    <RoomState
      :data="query.data.value"
      :error="query.error.value"
      what="what is being finished"
      @again="query.refetch()"
    >
      <div class="cols">
        <section aria-label="Being finished">
          <h2>Being finished</h2>
          <p v-if="!under.length" class="quiet">Nothing is to be finished.</p>
          <div v-for="p in under" :key="p.job_id" class="part">
            <h3>
              <RouterLink :to="`/bench/${p.job_id}`">{{ p.title }}</RouterLink>
              <span class="quiet small">{{ p.member }}</span>
            </h3>
            <p v-if="!p.steps.length" class="none">
              <span class="quiet small">No step is on the house's list for it.</span>
              <input
                v-model="places[p.job_id]"
                class="place"
                maxlength="60"
                placeholder="where it will lie"
                :aria-label="`Where ${p.title} will lie`"
              />
              <v-btn size="small" class="ready" :disabled="busy" @click="isReady(p)">It is ready</v-btn>
            </p>
            <ol>
              <li v-for="s in p.steps" :key="s.id" :class="{ done: s.state === 'done' }">
                <span class="mark" aria-hidden="true">{{ mark[s.state] }}</span>
                <span class="what">
                  <b>{{ words[s.kind] }}</b>
                  <span class="quiet small num">
                    <template v-if="s.hands_min"> {{ f.number(s.hands_min, 0) }} min of hands</template
                    ><template v-if="s.wait_min"> · {{ f.duration(60 * s.wait_min) }} by itself</template></span
                  >
                  <span v-if="s.how && s.state !== 'done'" class="small how">{{ s.how }}</span>
                  <span v-if="s.state === 'under way' && s.ends" class="small"
                    >until <b class="num">{{ f.soon(s.ends) }}</b><template v-if="inBath(s).length > 1"
                      >, {{ inBath(s).length }} in this bath</template
                    ></span
                  >
                  <label v-if="s.may.includes('begins') && s.others.length" class="small"
                    ><input v-model="together[s.id]" type="checkbox" /> in one bath with
                    {{ s.others.length }} more</label
                  >
                  <input
                    v-if="isLast(p, s) && s.may.includes('ends')"
                    v-model="places[p.job_id]"
                    class="place"
                    maxlength="60"
                    placeholder="where it will lie"
                    :aria-label="`Where ${p.title} will lie`"
                  />
                </span>
                <span class="acts">
                  <v-btn
                    v-if="s.may.includes('begins') && s.wait_min"
                    size="small"
                    class="begins"
                    :disabled="busy"
                    @click="begins(s)"
                    >It begins<kbd v-if="first?.s.id === s.id" class="on">X</kbd></v-btn
                  >
                  <v-btn
                    v-if="s.may.includes('ends')"
                    size="small"
                    class="ends"
                    :variant="s.may.includes('begins') && s.wait_min ? 'text' : undefined"
                    :disabled="busy"
                    @click="ends(p, s)"
                    >Done<kbd v-if="first?.s.id === s.id && !(s.may.includes('begins') && s.wait_min)" class="on"
                      >X</kbd
                    ></v-btn
                  >
                  <v-btn
                    v-if="s.may.includes('was not done')"
                    size="small"
                    variant="text"
                    class="undo"
                    :disabled="busy"
                    @click="tell.mutate({ steps: [s.id], what: 'was not done' })"
                    >By mistake</v-btn
                  >
                </span>
              </li>
            </ol>
          </div>
        </section>
        <section aria-label="Waits to be fetched">
          <h2>Waits to be fetched</h2>
          <p v-if="!waiting.length" class="quiet">Nothing waits to be fetched.</p>
          <table v-else class="ledger">
            <thead>
              <tr>
                <th>What</th>
                <th>Lies at</th>
                <th>Since</th>
                <th class="right">Costs</th>
                <td />
              </tr>
            </thead>
            <tbody>
              <tr v-for="p in waiting" :key="p.job_id">
                <td>
                  <RouterLink :to="`/bench/${p.job_id}`">{{ p.title }}</RouterLink><br /><span class="quiet small">{{
                    p.member
                  }}</span>
                </td>
                <td>
                  <input
                    class="place"
                    :value="p.place"
                    maxlength="60"
                    placeholder="say where"
                    :aria-label="`Where ${p.title} lies`"
                    @change="put.mutate({ id: p.job_id, place: ($event.target as HTMLInputElement).value })"
                    @keydown.enter="($event.target as HTMLInputElement).blur()"
                  />
                </td>
                <td class="small">
                  {{ p.ready ? f.dayOf(p.ready) : ''
                  }}<span v-if="p.said" class="note"><br />▲ told again {{ f.dayOf(p.said) }}</span>
                </td>
                <td class="right num">{{ f.money(p.cents) }}</td>
                <td class="right">
                  <a v-if="p.ready" :href="`/api/jobs/${p.job_id}/label`" target="_blank" rel="noopener" class="label"
                    >Label</a
                  >
                </td>
              </tr>
            </tbody>
          </table>
        </section>
      </div>
    </RoomState>
  </article>
</template>

<style scoped>
.finishing {
  padding: 14px 18px;
  display: grid;
  gap: 12px;
}
header {
  display: flex;
  gap: 18px;
  align-items: center;
}
.code {
  margin-left: auto;
  display: flex;
  gap: 8px;
  align-items: center;
  width: 430px;
}
.wrong {
  color: var(--stop);
  font-weight: 600;
}
.cols {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1.1fr);
  gap: 28px;
  align-items: start;
}
.cols section {
  display: grid;
  gap: 10px;
}
.part {
  border: 1px solid var(--rule);
  border-radius: 4px;
  background: var(--card);
  padding: 9px 12px;
}
ol {
  list-style: none;
  padding: 0;
}
li {
  display: flex;
  gap: 10px;
  align-items: flex-start;
  padding: 6px 0 2px;
}
.part h3 {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
li.done {
  color: var(--quiet);
}
.none {
  display: flex;
  justify-content: space-between;
}
.mark {
  font-size: 1.1rem;
  line-height: 1.2;
}
.what {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  align-items: center;
}
.how {
  flex-basis: 100%;
}
.acts {
  margin-left: auto;
  display: flex;
  gap: 4px;
  flex: none;
}
.place {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 2px 6px;
  background: var(--paper);
  color: var(--ink);
  width: 130px;
}
.note {
  color: var(--attention-words);
}
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 6px;
}
@media (max-width: 900px) {
  .cols {
    grid-template-columns: 1fr;
  }
  header {
    flex-wrap: wrap;
  }
}
</style>
