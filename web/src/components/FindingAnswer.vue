<script setup lang="ts">
import { nextTick, ref } from 'vue'
import type { JobFinding } from '../api/client'
import { readyReason } from './answers'

/** What is said to something that has to be answered before a yes: by a ready reason, or in words of one's own. */
const props = defineProps<{ finding: JobFinding; steward?: boolean }>()
const emit = defineEmits<{ answer: [reason: string] }>()
const open = ref(false)
const reason = ref('')
const field = ref<HTMLInputElement>()
async function write() {
  reason.value = ''
  open.value = true
  await nextTick()
  field.value?.focus()
}
function send() {
  if (!reason.value.trim()) return
  open.value = false
  emit('answer', reason.value.trim())
}
</script>

<template>
  <p v-if="finding.answer" class="small said">
    ✓ <strong>{{ finding.answer.who }}</strong>: {{ finding.answer.reason }}
    <button type="button" @click="emit('answer', '')">take that back</button>
  </p>
  <p v-else-if="finding.waives === 'steward' && !props.steward" class="small quiet">The steward may waive this.</p>
  <form v-else-if="open" class="small row" @submit.prevent="send" @keydown.esc.stop="open = false">
    <input
      ref="field"
      v-model="reason"
      maxlength="300"
      :aria-label="`Why ${finding.rule ?? finding.check} may be so`"
    />
    <button type="submit">It may be so</button>
  </form>
  <p v-else class="small row">
    <button type="button" class="ready" @click="emit('answer', readyReason)">{{ readyReason }}</button>
    <button type="button" @click="write">It may be so, because …</button>
  </p>
</template>

<style scoped>
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: center;
}
button {
  text-decoration: underline;
  text-underline-offset: 3px;
  color: var(--accent);
}
input {
  flex: 1 1 180px;
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 6px;
  background: var(--card);
  color: var(--ink);
}
.said {
  overflow-wrap: anywhere;
}
</style>
