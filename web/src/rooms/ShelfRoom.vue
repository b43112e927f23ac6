<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Slip } from '../api/client'
import { useEnded, useShelf, useWho } from '../api/queries'
import JobSlip from '../components/JobSlip.vue'
import RoomState from '../components/RoomState.vue'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { useRoomTitle } from '../composables/title'

useRoomTitle('Shelf')
const f = useFormats()
const shelf = useShelf()
const router = useRouter()
const search = ref('')
const searchField = ref<{ focus(): void }>()

const names: Record<string, [name: string, empty: string]> = {
  arrived: ['Arrived', 'Nothing is waiting to be checked.'],
  'to decide': ['To decide', 'All decided.'],
  approved: ['Approved', 'No job waits for its machine.'],
  'in production': ['In production', 'No machine is at work.'],
  finishing: ['Finishing', 'Nothing to clean up.'],
  'pick-up': ['Pick-up', 'Nothing waits to be fetched.'],
}

// What is left out is in the address, so that it outlives a look into another room.
const route = useRoute()
const who = useWho()
const member = computed(() => who.data.value?.role === 'member')
const kinds: Record<string, [name: string, is: (s: Slip) => boolean]> = {
  late: ['Late', (s) => s.late],
  asked: ['Waits for an answer', (s) => !!s.asked],
  open: ['Something to decide', (s) => !!s.to_answer || s.worst?.grade === 'stops it'],
}
const only = (key: string) => {
  const v = route.query[key]
  return typeof v === 'string' ? v : ''
}
const keep = (key: string, value: string) =>
  void router.replace({ query: { ...route.query, [key]: value || undefined } })
const fields = { machine: 'Any machine', purpose: 'Any purpose', member: 'Anybody' } as const
type Field = keyof typeof fields
const values = (key: Field) =>
  [...new Set((shelf.data.value?.slips ?? []).map((s) => s[key] ?? '').filter(Boolean))].sort()
const filtered = computed(() => ['only', ...Object.keys(fields)].some((k) => only(k)))
const fits = (s: Slip) =>
  (Object.keys(fields) as Field[]).every((k) => !only(k) || s[k] === only(k)) && (kinds[only('only')]?.[1](s) ?? true)

const found = computed(() => {
  const words = (search.value ?? '').toLowerCase().split(/\s+/).filter(Boolean)
  return (shelf.data.value?.slips ?? []).filter(fits).filter((s) => {
    const text =
      `${s.id} ${s.title} ${s.member} ${s.purpose} ${s.machine ?? ''} ${s.worst?.check ?? ''} ${s.wish}`.toLowerCase()
    return words.every((w) => text.includes(w))
  })
})
/** What waits for its slice lies with what is approved: it will be, in a moment. */
const plank = (state: string) => (state === 'being sliced' ? 'approved' : state)
const shelves = computed(() =>
  (shelf.data.value?.states ?? [])
    .filter((state) => plank(state) === state)
    .map((state) => ({
      state,
      name: names[state]?.[0] ?? state,
      empty: names[state]?.[1] ?? '',
      slips: found.value.filter((s) => plank(s.state) === state),
    })),
)
// What left the shelf: sent back and withdrawn, and with words all that ever was.
const asked = refDebounced(
  computed(() => (search.value ?? '').trim()),
  250,
)
const ended = useEnded(() => asked.value)
const next = computed(() => shelf.data.value?.next)
const place = (s: Slip) => (member.value ? `/job/${s.id}` : s.may.decide ? `/counter/${s.id}` : `/bench/${s.id}`)

function goNext() {
  const n = next.value
  if (n) void router.push(n.room === 'floor' ? '/floor' : `/${n.room}/${n.job_id}`)
}

/** Walks the slips as they lie: left and right along a shelf, up and down between shelves. */
function walk(dx: number, dy: number) {
  const rows = [...document.querySelectorAll('.plank')]
    .map((p) => [...p.querySelectorAll<HTMLElement>('.slip')])
    .filter((r) => r.length)
  if (!rows.length) return
  let y = rows.findIndex((r) => r.includes(document.activeElement as HTMLElement))
  if (y < 0) return rows[0]![0]!.focus()
  const x = rows[y]!.indexOf(document.activeElement as HTMLElement)
  y = Math.min(rows.length - 1, Math.max(0, y + dy))
  const row = rows[y]!
  row[Math.min(row.length - 1, Math.max(0, x + dx))]!.focus()
}

useKeys('Shelf', [
  { key: 'n', does: 'Do what comes next', run: goNext, when: () => !!next.value },
  {
    key: 'f',
    does: 'Finishing and fetching',
    run: () => void router.push('/shelf/finishing'),
    when: () => !member.value,
  },
  { key: '/', does: 'Search', run: () => searchField.value?.focus() },
  { key: 'ArrowRight', does: 'Next slip', run: () => walk(1, 0) },
  { key: 'ArrowLeft', does: 'Slip before', run: () => walk(-1, 0) },
  { key: 'ArrowDown', does: 'Shelf below', run: () => walk(0, 1) },
  { key: 'ArrowUp', does: 'Shelf above', run: () => walk(0, -1) },
])
</script>

<template>
  <div class="room">
    <div class="top">
      <h1>Shelf</h1>
      <button v-if="next" type="button" class="next" @click="goNext">
        <span class="quiet small">Next</span> <strong>{{ next.text }}</strong> <kbd>N</kbd>
      </button>
      <p v-else-if="shelf.data.value && !shelf.data.value.slips.length" class="next">
        Nothing is on the shelf. Hand in a model with <kbd>H</kbd>, or drop one anywhere.
      </p>
      <RouterLink v-if="!member" to="/shelf/finishing" class="finish">Finishing and fetching <kbd>F</kbd></RouterLink>
      <v-text-field
        ref="searchField"
        v-model="search"
        class="search"
        label="Search jobs, members, machines  ( / )"
        clearable
      />
    </div>
    <div class="filters small" role="group" aria-label="Show only">
      <button
        v-for="([name, is], key) in kinds"
        :key="key"
        type="button"
        :aria-pressed="only('only') === key"
        @click="keep('only', only('only') === key ? '' : key)"
      >
        {{ name }} <span class="num">{{ (shelf.data.value?.slips ?? []).filter(is).length }}</span>
      </button>
      <template v-for="(any, key) in fields" :key="key">
        <select
          v-if="key !== 'member' || !member"
          :value="only(key)"
          :aria-label="any"
          :class="{ set: only(key) }"
          @change="keep(key, ($event.target as HTMLSelectElement).value)"
        >
          <option value="">{{ any }}</option>
          <option v-for="v in values(key)" :key="v">{{ v }}</option>
        </select>
      </template>
      <button v-if="filtered" type="button" class="link" @click="router.replace({ query: {} })">Show all</button>
    </div>
    <RoomState :data="shelf.data.value" :error="shelf.error.value" what="the shelf" @again="shelf.refetch()">
      <section v-for="s in shelves" :key="s.state" class="plank" :aria-label="s.name">
        <h2>
          <span>{{ s.name }}</span><span class="num count">{{ s.slips.length }}</span>
        </h2>
        <div class="slips">
          <JobSlip v-for="x in s.slips" :key="x.id" :slip="x" :to="place(x)" />
          <p v-if="!s.slips.length" class="quiet empty">{{ search || filtered ? 'No match here.' : s.empty }}</p>
        </div>
      </section>
      <section v-if="ended.data.value?.length || asked" class="plank" aria-label="Left the shelf">
        <h2>
          <span>{{ asked ? 'Found of old' : 'Sent back, withdrawn' }}</span><span class="num count">{{
            ended.data.value?.length ?? 0
          }}</span>
        </h2>
        <ul class="ended">
          <li v-for="x in ended.data.value" :key="x.id">
            <router-link :to="member ? `/job/${x.id}` : `/bench/${x.id}`"
              ><strong>{{ x.title }}</strong> <span class="num quiet">#{{ x.id }}</span></router-link
            >
            <span class="small">{{ x.member }}, {{ x.state }} {{ f.moment(x.at) }}</span>
            <span v-if="x.reason" class="small quiet">“{{ x.reason }}”</span>
          </li>
          <li v-if="!ended.data.value?.length" class="quiet">No match here.</li>
        </ul>
      </section>
    </RoomState>
  </div>
</template>

<style scoped>
.room {
  padding: 14px 18px 40px;
}
.top {
  display: flex;
  gap: 18px;
  align-items: center;
  margin-bottom: 10px;
}
.next {
  padding: 8px 14px;
  border: 1.5px solid var(--ink);
  border-left: 6px solid var(--attention);
  background: var(--card);
  border-radius: 3px;
  text-align: left;
}
.next strong {
  margin: 0 8px;
}
.filters {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 10px;
  align-items: center;
}
.filters button,
.filters select {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 8px;
  color: var(--ink);
  background: transparent;
}
.filters [aria-pressed='true'],
.filters .set {
  border-color: var(--ink);
  background: var(--card);
  box-shadow: inset 0 -2px var(--accent);
}
.filters .link {
  border: none;
  text-decoration: underline;
  text-underline-offset: 3px;
  color: var(--accent-words);
}
.search {
  max-width: 340px;
  margin-left: auto;
}
.plank {
  display: grid;
  grid-template-columns: 124px 1fr;
  border-bottom: 5px solid var(--rule);
  padding-top: 10px;
}
.plank h2 {
  display: flex;
  flex-direction: column;
  justify-content: flex-start;
}
.ended {
  list-style: none;
  padding: 0 0 8px;
  display: grid;
  gap: 2px;
}
.ended li {
  display: flex;
  flex-wrap: wrap;
  gap: 0 12px;
  align-items: baseline;
}
.count {
  font-size: 1.5rem;
  font-weight: 400;
  color: var(--quiet);
}
.slips {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(208px, 1fr));
  gap: 10px;
  min-height: 44px;
}
.empty {
  grid-column: 1 / -1;
  padding-top: 3px;
}
@media (max-width: 760px) {
  .room {
    padding: 10px 10px 30px;
  }
  .top {
    flex-wrap: wrap;
    gap: 8px;
  }
  .search {
    flex: 1 1 100%;
    max-width: none;
  }
  .plank {
    grid-template-columns: 1fr;
  }
  .plank h2 {
    flex-direction: row;
    justify-content: space-between;
    align-items: baseline;
  }
}
</style>
