<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { useJob, useWithdraw } from '../api/queries'
import CheckProgress from '../components/CheckProgress.vue'
import FindingList from '../components/FindingList.vue'
import JobPast from '../components/JobPast.vue'
import JobTalk from '../components/JobTalk.vue'
import JobUse from '../components/JobUse.vue'
import PartView from '../components/PartView.vue'
import PieceCare from '../components/PieceCare.vue'
import RoomState from '../components/RoomState.vue'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { usePointing } from '../composables/pointing'
import { useRoomTitle } from '../composables/title'

/** A job as its member sees it: where it is, what was said, what was found and where, and what can be done about it. */
const f = useFormats()
const route = useRoute()
const id = computed(() => Number(route.params.id))
const query = useJob(id)
const known = computed(() => (query.data.value?.id === id.value ? query.data.value : undefined))
const job = computed(() => (query.isPlaceholderData.value ? undefined : known.value))
const withdraw = useWithdraw()
useRoomTitle('Job', () => known.value?.title)
const { piece, choose, nextPiece, nextFinding, finding, show, marks, place, stamp } = usePointing(job)
const row = computed(
  () =>
    job.value?.ladder.find((r) => r.machine_id === job.value?.machine_id) ??
    job.value?.ladder.find((r) => r.proposed) ??
    job.value?.ladder.find((r) => r.in_service),
)
const bad = computed(() => job.value?.findings.filter((x) => x.grade === 'stops it').length ?? 0)
const open = computed(() => job.value?.findings.filter((x) => x.grade === 'decide' && !x.answer).length ?? 0)
const many = (n: number, one: string, more: string) => (n === 1 ? one : `${f.value.number(n)} ${more}`)
// Questions stand with their answers above.
const letters = computed(() => job.value?.letters.filter((l) => l.kind !== 'asked') ?? [])
/** Where it is, in plain words. */
const where = computed(() => {
  const j = job.value
  if (!j) return ''
  const done = j.finish ? `, done about ${f.value.moment(j.finish)}` : ''
  switch (j.state) {
    case 'arrived':
      return j.check.state === 'done' || j.check.state === 'running' || j.check.state === 'queued'
        ? 'It is being looked through.'
        : 'It could not be looked through. Put another file in its place, or ask the desk.'
    case 'to decide':
      if (j.asked) return 'The desk has asked you something, and waits for your answer.'
      if (bad.value)
        return `It cannot be printed as it is: ${many(bad.value, 'one thing', 'things')} below have to be changed first.`.replace(
          'one thing below have',
          'one thing below has',
        )
      if (open.value)
        return `The desk decides. It has to weigh ${many(open.value, 'one thing', 'things')} first, see below.`
      return 'It can be printed. The desk has not said yes yet.'
    case 'being sliced':
      return `The desk has said yes. How ${j.machine} makes it is being worked out.`
    case 'approved':
      return `It waits for its turn on ${j.machine}${done}.`
    case 'in production':
      return `${j.machine} prints it${done}.`
    case 'finishing':
      return 'It is off the machine, and is being cleaned up.'
    case 'pick-up':
      return 'It is ready to be fetched.'
    case 'fetched':
      return 'It has been fetched.'
    case 'left behind':
      return 'Nobody has fetched it: it is the house’s.'
    case 'sent back':
      return 'It was sent back to you. Hand it in again when it is changed.'
    case 'withdrawn':
      return 'It was withdrawn.'
  }
  return j.state
})
const takes = computed(() => {
  const j = job.value
  if (!j?.seconds) return ''
  const figures = [f.value.duration(j.seconds), f.value.grams(j.grams ?? 0), f.value.money(j.price_cents ?? 0)].join(
    ' · ',
  )
  return j.runs.length ? figures : `${figures}, as it would be on ${j.machine}`
})
useKeys('Job', [
  { key: 'e', does: 'Show where the next thing was found', run: nextFinding },
  { key: 'x', does: 'Look at the next piece', run: nextPiece, when: () => (job.value?.piece_set.length ?? 0) > 1 },
])
</script>

<template>
  <article v-if="job" class="job">
    <header>
      <h1>
        {{ job.title }} <span class="quiet num no">#{{ job.id }}</span>
      </h1>
      <p>
        {{ job.member }}, {{ job.purpose }}<template v-if="job.pieces > 1">, {{ job.pieces }} pieces</template
        ><template v-if="job.needed_by">, needed by {{ f.day(job.needed_by) }}</template>
      </p>
      <p class="where" aria-live="polite">{{ where }}</p>
      <p v-if="takes" class="num">{{ takes }}</p>
    </header>
    <div class="two">
      <div class="col">
        <JobTalk :job="job" />
        <section v-if="letters.length" aria-label="What you were told">
          <h2>What you were told</h2>
          <ul class="letters">
            <li v-for="(l, i) in letters" :key="i">
              <p class="text">{{ l.text }}</p>
              <p class="small quiet">{{ l.who || 'Job Shelf' }}, {{ f.moment(l.at) }}</p>
            </li>
          </ul>
        </section>
        <p v-else-if="job.reason" class="letters text">“{{ job.reason }}”</p>
        <CheckProgress :job="job" />
        <section aria-label="What was found">
          <h2>What was found</h2>
          <FindingList
            :findings="job.findings"
            :several="job.piece_set.length > 1"
            :chosen="finding"
            @show="show"
            @piece="choose"
          />
        </section>
        <p>
          <v-btn
            v-if="job.may.withdraw"
            id="withdraw"
            size="small"
            variant="text"
            @click="withdraw.mutate({ id: job.id, revision: job.revision, title: job.title, reason: '' })"
            >I do not want it any more</v-btn
          >
          <v-btn size="small" variant="text" :to="`/bench/${job.id}`">All measures and layers</v-btn>
        </p>
      </div>
      <div class="col">
        <figure v-if="piece?.viewable" class="place">
          <PartView
            :piece-id="piece.id"
            :row="row"
            :stand="piece.orientation?.stand"
            :stamp="stamp"
            :evidence="marks"
            :place="place"
            :check="finding?.check"
          />
          <figcaption class="small quiet">
            <template v-if="finding">{{ finding.rule ?? finding.check }}: {{ finding.text }}</template>
            <template v-else>{{ piece.name }}, as it would stand. “Show it” leads to each place.</template>
          </figcaption>
        </figure>
        <div v-if="job.piece_set.length > 1" class="pieces small" role="group" aria-label="Pieces">
          <button
            v-for="p in job.piece_set"
            :key="p.id"
            type="button"
            :aria-pressed="p.id === piece?.id"
            @click="choose(p.id)"
          >
            {{ p.name }}
          </button>
        </div>
        <PieceCare v-if="piece" :job="job" :piece="piece" :may-repair="false" />
        <JobUse :job="job" />
        <details>
          <summary>All that happened</summary>
          <JobPast :job="job" :desk="false" />
        </details>
      </div>
    </div>
  </article>
  <RoomState
    v-else
    class="job"
    :data="undefined"
    :error="query.error.value"
    :what="known ? known.title : 'this job'"
    @again="query.refetch()"
  />
</template>

<style scoped>
.job {
  padding: 14px 22px 40px;
  max-width: 1240px;
}
.no {
  font-weight: 400;
  font-size: 0.9em;
}
.where {
  font-size: 1.12rem;
  border: 1.5px solid var(--ink);
  border-left: 6px solid var(--accent);
  border-radius: 3px;
  background: var(--card);
  padding: 8px 14px;
  margin: 8px 0 6px;
}
.two {
  display: grid;
  grid-template-columns: minmax(300px, 1fr) minmax(320px, 1fr);
  gap: 26px;
  margin-top: 14px;
  align-items: start;
}
.col {
  display: grid;
  gap: 14px;
  min-width: 0;
}
h2 {
  margin-bottom: 4px;
}
.letters {
  list-style: none;
  padding: 0;
  display: grid;
  gap: 8px;
}
.letters li {
  border-left: 4px solid var(--rule);
  padding-left: 10px;
}
.letters li:first-child {
  border-color: var(--accent);
}
.text {
  white-space: pre-line;
  overflow-wrap: anywhere;
}
.place {
  display: grid;
  grid-template-rows: 340px auto;
  border: 1px solid var(--rule);
  border-radius: 3px;
  min-width: 0;
}
figcaption {
  padding: 3px 10px;
  border-top: 1px solid var(--rule);
}
.pieces {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
}
.pieces button {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 8px;
}
.pieces button[aria-pressed='true'] {
  border-color: var(--ink);
}
@media (max-width: 760px) {
  .job {
    padding: 10px 10px 30px;
  }
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
  .place {
    grid-template-rows: 260px auto;
  }
}
</style>
