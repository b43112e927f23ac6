<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { Refusal, type HouseRule, type RuleTried, type RuleView } from '../api/client'
import { tryRule, useRules, useRuleVersions, useWriteRules } from '../api/queries'
import { useFormats } from '../composables/format'
import { mayLeave, useUnsaved } from '../composables/unsaved'
import GradeMark from './GradeMark.vue'
import RoomState from './RoomState.vue'
import RuleGroup from './RuleGroup.vue'
import { emptyOf } from './rules'

/** What the house asks of jobs: written as a sentence, tried against past jobs before it counts. */
defineProps<{ editable: boolean }>()
const rules = useRules()
const write = useWriteRules()
const f = useFormats()
const chosen = ref<number>()
const past = useRuleVersions(() => chosen.value)
const draft = ref<HouseRule>()
const problem = ref('')
const tried = ref<RuleTried>()
const here = computed(() => rules.data.value?.rules.find((r) => r.id === chosen.value))
const copy = <T,>(x: T): T => JSON.parse(JSON.stringify(x)) as T
const dirty = computed(
  () => !!draft.value && JSON.stringify(draft.value) !== JSON.stringify(here.value?.data ?? fresh()),
)
useUnsaved(
  () => 'the rule',
  () => dirty.value,
)
const fresh = (): HouseRule => ({
  name: '',
  when: { all: [emptyOf(rules.data.value?.facts ?? [], 'hours')] },
  grade: 'decide',
  says: '',
  waives: 'coordinator',
})
function open(r: RuleView | undefined) {
  chosen.value = r?.id
  draft.value = r ? copy(r.data) : fresh()
  problem.value = ''
  tried.value = undefined
}
/** What is being saved: who goes on to another rule meanwhile comes to it after that. */
let saving: Promise<void> | undefined
async function turn(r: RuleView | undefined) {
  await saving
  if (await mayLeave()) open(r)
}
watch(
  () => rules.data.value,
  (v) => v && !draft.value && v.rules[0] && open(v.rules[0]),
  { immediate: true },
)
async function doing(what: () => Promise<void>) {
  problem.value = ''
  try {
    await what()
  } catch (e) {
    problem.value =
      e instanceof Refusal && Object.keys(e.fields).length ? Object.values(e.fields)[0]! : (e as Error).message
  }
}
const test = () =>
  doing(async () => {
    tried.value = await tryRule(draft.value!)
  })
const save = () =>
  (saving = doing(async () => {
    chosen.value = await write.save(chosen.value, here.value?.version, draft.value!)
    draft.value = copy(draft.value!)
  }))
const away = () =>
  doing(async () => {
    await write.away(here.value!.id, here.value!.version)
    draft.value = undefined
    open(rules.data.value?.rules[0])
  })
const waivers = { coordinator: 'the coordinator', steward: 'the steward', nobody: 'nobody' } as const
const grades = ['stops it', 'decide', 'worth knowing'] as const
</script>

<template>
  <RoomState :data="rules.data.value" :error="rules.error.value" what="the rules" @again="rules.refetch()">
    <div class="two">
      <div>
        <ul class="list" aria-label="Rules">
          <li v-for="r in rules.data.value?.rules" :key="r.id">
            <button type="button" :aria-pressed="r.id === chosen" @click="turn(r)">
              <GradeMark :grade="r.data.grade" /> <strong>{{ r.data.name }}</strong>
              <span class="small quiet">when {{ r.sentence }}; {{ waivers[r.data.waives] }} may waive it</span>
            </button>
          </li>
          <li v-if="rules.data.value?.rules.length === 0" class="quiet">
            The house asks nothing of jobs yet. Make a rule: what it would have stopped is told before it counts.
          </li>
        </ul>
        <button v-if="editable" type="button" class="new" @click="turn(undefined)">Make a rule</button>
      </div>
      <form v-if="draft" class="form" @submit.prevent="save">
        <label class="small"
          >Name
          <input id="rule-name" v-model="draft.name" :disabled="!editable" maxlength="80" required />
        </label>
        <p>When</p>
        <RuleGroup v-model="draft.when" :facts="rules.data.value!.facts" :editable="editable" :deep="0" />
        <p class="line">
          it is
          <select v-model="draft.grade" :disabled="!editable" aria-label="How bad it is">
            <option v-for="g in grades" :key="g" :value="g">{{ g }}</option>
          </select>
          and
          <select v-model="draft.waives" :disabled="!editable" aria-label="Who may waive it">
            <option v-for="(text, w) in waivers" :key="w" :value="w">{{ text }}</option>
          </select>
          may waive it. It says
        </p>
        <textarea
          v-model="draft.says"
          :disabled="!editable"
          rows="3"
          maxlength="400"
          required
          aria-label="What it says"
        />
        <p class="small quiet">
          {{ '{hours}' }}, {{ '{grams}' }} and the other keys stand for their values:
          <span class="num keys">{{ rules.data.value!.facts.map((x) => x.key).join(' ') }}</span>
        </p>
        <p v-if="problem" role="alert" class="small problem">■ {{ problem }}</p>
        <p class="line">
          <v-btn id="rule-try" @click="test">Try it against past jobs</v-btn>
          <v-btn v-if="editable" id="rule-save" type="submit" color="primary" variant="flat" :disabled="!dirty">{{
            here ? 'Save as the next version' : 'Let it count'
          }}</v-btn>
          <v-btn v-if="editable && here" variant="text" @click="away">Take it away</v-btn>
        </p>
        <section v-if="tried" class="tried" aria-label="Tried">
          <p>
            Would have raised it for <strong class="num">{{ tried.held.length }}</strong> of
            <span class="num">{{ tried.of }}</span> jobs that were decided on<template v-if="tried.unknown"
              >; of <span class="num">{{ tried.unknown }}</span> too little is known</template
            >.
          </p>
          <ul>
            <li v-for="x in tried.held.slice(0, 30)" :key="x.job_id" class="small">
              <router-link :to="`/bench/${x.job_id}`">#{{ x.job_id }} {{ x.title }}</router-link
              >: {{ x.text }}
            </li>
          </ul>
        </section>
        <p v-if="here" class="small quiet">
          Version {{ here.version }}<template v-if="here.by"> by {{ here.by }}</template>
        </p>
        <details v-if="(past.data.value?.length ?? 0) > 1" class="small">
          <summary>{{ past.data.value!.length - 1 }} before it</summary>
          <ul class="past">
            <li v-for="v in past.data.value!.slice(1)" :key="v.version">
              <strong>{{ v.version }}</strong> {{ f.moment(v.at) }}<template v-if="v.by">, {{ v.by }}</template
              >: “{{ v.data.name }}” when {{ v.sentence }}: {{ v.data.grade }}; {{ waivers[v.data.waives] }} may waive
              it. It says “{{ v.data.says }}”
            </li>
          </ul>
        </details>
      </form>
    </div>
  </RoomState>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(300px, 5fr) minmax(320px, 6fr);
  gap: 26px;
  align-items: start;
}
.list {
  list-style: none;
  padding: 0;
  display: grid;
}
.list button {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 0 8px;
  width: 100%;
  text-align: left;
  padding: 6px 8px;
  border-bottom: 1px solid var(--rule);
}
.list button span:last-child {
  grid-column: 1 / -1;
}
.list button[aria-pressed='true'] {
  background: var(--card);
  box-shadow: inset 4px 0 var(--accent);
}
.new {
  margin-top: 8px;
  text-decoration: underline;
  text-underline-offset: 3px;
  color: var(--accent);
}
.form {
  display: grid;
  gap: 8px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 10px;
  align-items: center;
}
input,
select,
textarea {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 2px 6px;
  background: var(--card);
  color: var(--ink);
}
label input {
  display: block;
  width: 100%;
}
.form {
  min-width: 0;
}
.keys {
  white-space: normal;
}
.past {
  padding-left: 18px;
}
.tried ul {
  padding-left: 18px;
  max-height: 220px;
  overflow-y: auto;
}
.problem {
  color: var(--stop);
}
</style>
