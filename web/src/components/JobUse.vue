<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { JobView, Use } from '../api/client'
import { useSayUse } from '../api/queries'
import { useFormats } from '../composables/format'
import UseField from './UseField.vue'

/** What a job is for, in a line; while it is weighed, it can be said. */
const props = defineProps<{ job: JobView }>()
const f = useFormats()
const say = useSayUse()
const open = ref(false)
const draft = ref<Use>({})
watch(
  () => props.job.id,
  () => (open.value = false),
)
function edit() {
  draft.value = { ...props.job.use }
  open.value = true
}
async function send() {
  try {
    await say.mutateAsync({ id: props.job.id, revision: props.job.revision, use: draft.value })
  } catch {
    return // the refusal has been said; what was chosen stays
  }
  open.value = false
}
const told = computed(() => {
  const u = props.job.use
  return [
    u.outdoors && 'stays outdoors',
    u.flexible && 'has to bend',
    u.load && 'carries load',
    u.fits && 'has to fit another part',
    u.warm_c && `gets ${f.value.number(u.warm_c)} °C warm`,
    u.colour && `in ${u.colour}`,
  ].filter(Boolean)
})
</script>

<template>
  <div class="for small">
    <p v-if="!open">
      <span class="quiet">For:</span> {{ told.length ? told.join(', ') : 'nothing in particular' }}
      <button v-if="job.may.change" type="button" class="say" @click="edit">
        {{ told.length ? 'change' : 'say what for' }}
      </button>
    </p>
    <form v-else @submit.prevent="send">
      <UseField v-model="draft" />
      <button type="submit" class="say">That is it</button>
      <button type="button" class="say" @click="open = false">Leave it</button>
    </form>
  </div>
</template>

<style scoped>
form {
  display: grid;
  gap: 4px;
  justify-items: start;
}
.say {
  text-decoration: underline;
  text-underline-offset: 3px;
  color: var(--accent);
}
</style>
