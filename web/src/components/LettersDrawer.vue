<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { Refusal, type TemplateView } from '../api/client'
import { useLetters, useSetLetter } from '../api/queries'
import { mayLeave, useUnsaved } from '../composables/unsaved'
import RoomState from './RoomState.vue'

/** What members are told when something was decided. */
defineProps<{ editable: boolean }>()
const letters = useLetters()
const set = useSetLetter()
const occasions: Record<string, string> = {
  approved: 'A yes',
  moved: 'Moved to another machine',
  asked: 'A question',
  'sent back': 'A no',
  'yes taken back': 'A yes is taken back',
  withdrawn: 'The desk withdraws it',
  'run failed': 'A run fails',
  'ready to be fetched': 'Ready to be fetched',
  'not fetched': 'Nobody has come',
  'left behind': 'It is the house’s',
}
const chosen = ref('approved')
const text = ref('')
const problem = ref('')
const here = computed(() => letters.data.value?.find((l) => l.kind === chosen.value))
/** What may stand in it. */
const braces = computed(() => here.value?.fields?.map((x) => '{' + x + '}').join(' '))
const dirty = computed(() => !!here.value && text.value !== here.value.text)
useUnsaved(
  () => 'the message',
  () => dirty.value,
)
watch(
  here,
  (l, was) => {
    if (l && (l.kind !== was?.kind || text.value === was.text)) text.value = l.text
  },
  { immediate: true },
)
async function turn(l: TemplateView) {
  if (l.kind === chosen.value || !(await mayLeave())) return
  chosen.value = l.kind
  text.value = l.text
  problem.value = ''
}
async function save(to: string) {
  problem.value = ''
  try {
    await set(chosen.value, to)
    text.value = here.value?.text ?? to
  } catch (e) {
    problem.value =
      e instanceof Refusal && Object.keys(e.fields).length ? Object.values(e.fields)[0]! : (e as Error).message
  }
}
</script>

<template>
  <RoomState :data="letters.data.value" :error="letters.error.value" what="the messages" @again="letters.refetch()">
    <div class="two">
      <ul class="list" aria-label="Occasions">
        <li v-for="l in letters.data.value" :key="l.kind">
          <button type="button" :aria-pressed="l.kind === chosen" @click="turn(l)">
            <strong>{{ occasions[l.kind] ?? l.kind }}</strong>
            <span v-if="l.text !== l.first" class="small quiet">in the house’s own words</span>
          </button>
        </li>
      </ul>
      <form v-if="here" class="form" @submit.prevent="save(text)">
        <label class="small"
          >What the member is told
          <textarea id="letter" v-model="text" rows="8" maxlength="4000" :disabled="!editable" />
        </label>
        <p class="small quiet">
          In braces, filled in: <span class="num">{{ braces }}</span>. A line in which something is not known is left
          out.
        </p>
        <p v-if="problem" role="alert" class="small problem">■ {{ problem }}</p>
        <p v-if="editable" class="acts">
          <v-btn id="letter-save" type="submit" color="primary" variant="flat" :disabled="!dirty || !text.trim()"
            >Save</v-btn
          >
          <v-btn v-if="here.text !== here.first" variant="text" @click="save('')">As it was at first</v-btn>
        </p>
      </form>
    </div>
  </RoomState>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(220px, 1fr) minmax(320px, 2fr);
  gap: 26px;
  align-items: start;
}
.list {
  list-style: none;
  padding: 0;
}
.list button {
  display: grid;
  width: 100%;
  text-align: left;
  padding: 6px 8px;
  border-bottom: 1px solid var(--rule);
}
.list button[aria-pressed='true'] {
  background: var(--card);
  box-shadow: inset 4px 0 var(--accent);
}
.form {
  display: grid;
  gap: 8px;
}
textarea {
  display: block;
  width: 100%;
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 4px 8px;
  background: var(--card);
  color: var(--ink);
}
.acts {
  display: flex;
  gap: 8px;
}
.problem {
  color: var(--stop);
}
@media (max-width: 760px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
