<script setup lang="ts">
import { ref } from 'vue'
import type { JobFinding } from '../api/client'
import { useFormats } from '../composables/format'
import FindingAnswer from './FindingAnswer.vue'
import GradeMark from './GradeMark.vue'

const props = defineProps<{
  findings: readonly JobFinding[]
  several?: boolean
  chosen?: JobFinding
  messages?: boolean
  /** Whether what asks for it can be answered, and by whom. */
  answers?: 'coordinator' | 'steward'
  /** Whether there are layers to show it in. */
  layers?: boolean
}>()
const emit = defineEmits<{
  show: [finding: JobFinding, place: number]
  piece: [id: number]
  layer: [finding: JobFinding, place: number]
  message: [finding: JobFinding]
  answer: [finding: JobFinding, reason: string]
}>()

const f = useFormats()
// Each click on the same finding goes to its next place.
const at = ref(0)
function show(x: JobFinding) {
  const n = x.places?.length ?? 0
  at.value = x === props.chosen && n > 0 ? (at.value + 1) % n : 0
  emit('show', x, at.value)
}
/** Goes to a place by its number: the list says in words what the picture shows. */
function go(x: JobFinding, place: number) {
  at.value = place
  emit('show', x, place)
}
</script>

<template>
  <ul class="findings">
    <li
      v-for="(x, i) in findings"
      :key="i"
      :class="[x.grade.replace(' ', '-'), { chosen: x === chosen }]"
      :data-check="x.check"
    >
      <GradeMark :grade="x.grade" /> <strong>{{ x.rule ?? x.check }}</strong>
      <p v-if="several" class="small quiet">
        <button v-if="x.piece_id" type="button" class="of-piece" @click="emit('piece', x.piece_id)">
          {{ x.piece }}
        </button>
        <template v-else>The whole job</template>
      </p>
      <p>{{ x.text }}</p>
      <FindingAnswer
        v-if="answers && x.key"
        :finding="x"
        :steward="answers === 'steward'"
        @answer="emit('answer', x, $event)"
      />
      <p v-else-if="x.answer" class="small">✓ {{ x.answer.who }}: {{ x.answer.reason }}</p>
      <details v-if="x.places?.length" class="small">
        <summary>{{ x.places.length }} {{ x.places.length === 1 ? 'place' : 'places' }}</summary>
        <ol>
          <li v-for="(p, k) in x.places" :key="k" class="place">
            <button type="button" class="num" @click="go(x, k)">
              {{ p.map((v) => f.number(v, 1)).join(', ') }} mm
            </button>
          </li>
        </ol>
      </details>
      <p v-if="x.places?.length || messages" class="acts small">
        <button v-if="x.places?.length" type="button" @click="show(x)">
          Show it<template v-if="x.places.length > 1"
            >&nbsp;<span class="num">{{ x === chosen ? at + 1 : 1 }}/{{ x.places.length }}</span></template
          >
        </button>
        <button v-if="layers && x.heights_mm?.length" type="button" @click="emit('layer', x, x === chosen ? at : 0)">
          In its layer
        </button>
        <button v-if="messages && x.grade !== 'worth knowing'" type="button" @click="emit('message', x)">
          Send back for this
        </button>
      </p>
    </li>
    <li v-if="findings.length === 0" class="none">✓ Nothing found that needs a look.</li>
  </ul>
</template>

<style scoped>
.of-piece {
  text-decoration: underline;
  text-align: left;
}
.findings {
  list-style: none;
  display: grid;
  gap: 8px;
  padding: 0;
}
li {
  border-left: 4px solid var(--rule);
  padding: 1px 0 1px 10px;
}
.stops-it {
  border-left-color: var(--stop);
}
.decide {
  border-left-color: var(--attention);
}
.none {
  border-left-color: var(--accent);
}
.chosen {
  background: color-mix(in srgb, var(--attention) 12%, transparent);
}
strong {
  margin-left: 6px;
}
p {
  margin: 1px 0 0;
}
details ol {
  padding-left: 22px;
  max-height: 120px;
  overflow-y: auto;
}
li.place {
  border: none;
  padding: 0;
}
.place button {
  text-decoration: underline;
  text-underline-offset: 3px;
}
summary {
  cursor: pointer;
  width: max-content;
}
.acts {
  display: flex;
  gap: 14px;
}
.acts button {
  text-decoration: underline;
  text-underline-offset: 3px;
  color: var(--accent);
}
</style>
