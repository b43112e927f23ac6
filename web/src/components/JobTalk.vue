<script setup lang="ts">
import { ref, watch } from 'vue'
import type { JobView } from '../api/client'
import { useReply } from '../api/queries'
import { useFormats } from '../composables/format'

/** What was asked about a job and what was said to it; what waits is answered here. */
const props = defineProps<{ job: JobView }>()
const f = useFormats()
const reply = useReply()
const text = ref('')
watch(
  () => props.job.id,
  () => (text.value = ''),
)
async function send() {
  if (!text.value.trim()) return
  try {
    await reply.mutateAsync({ id: props.job.id, revision: props.job.revision, text: text.value.trim() })
  } catch {
    return // the refusal has been said; what was written stays
  }
  text.value = ''
}
</script>

<template>
  <section v-if="job.questions.length" class="talk" aria-label="Questions">
    <div v-for="(q, i) in job.questions" :key="i" class="small">
      <p>
        <strong>{{ q.asked_by }}</strong> asks: “{{ q.asked }}”
        <span class="quiet num">{{ f.moment(q.asked_at) }}</span>
      </p>
      <p v-if="q.reply">
        <strong>{{ q.replied_by }}</strong>: “{{ q.reply }}”
      </p>
    </div>
    <form v-if="job.asked" class="row" @submit.prevent="send">
      <textarea id="reply" v-model="text" rows="2" maxlength="1000" aria-label="Answer" placeholder="Answer" />
      <v-btn type="submit" size="small" :disabled="!text.trim()" :loading="reply.isPending.value">Answer</v-btn>
    </form>
  </section>
</template>

<style scoped>
.talk {
  border-left: 4px solid var(--attention);
  padding-left: 10px;
  display: grid;
  gap: 4px;
  margin: 6px 0;
}
.row {
  display: flex;
  gap: 8px;
  align-items: end;
}
textarea {
  flex: 1;
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 2px 6px;
  background: var(--card);
  color: var(--ink);
}
</style>
