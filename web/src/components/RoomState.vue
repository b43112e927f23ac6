<script setup lang="ts">
import { computed } from 'vue'
import { Refusal } from '../api/client'
import { signedOut } from '../composables/session'

/** What a room shows while it has nothing to show: that it loads, failed, or nobody is signed in. */
const props = defineProps<{
  data: unknown
  error: unknown
  /** What is loaded, in the middle of a sentence. */
  what: string
  /** Said where it is not there, or not theirs to see. */
  missing?: string
}>()
const emit = defineEmits<{ again: [] }>()
const gone = computed(() => props.error instanceof Refusal && [403, 404].includes(props.error.status))
</script>

<template>
  <slot v-if="data" />
  <p v-else-if="signedOut" class="state quiet" role="status">Sign in to see {{ what }}.</p>
  <div v-else-if="gone" class="state">
    <p>{{ missing ?? `${what[0]!.toUpperCase()}${what.slice(1)} is not there, or not yours to see.` }}</p>
    <v-btn size="small" to="/shelf">To the shelf</v-btn>
  </div>
  <div v-else-if="error" class="state" role="alert">
    <p>■ {{ what[0]!.toUpperCase() }}{{ what.slice(1) }} could not be loaded. {{ (error as Error).message }}</p>
    <v-btn size="small" class="load-again" @click="emit('again')">Load it again</v-btn>
  </div>
  <p v-else class="state quiet" role="status">Loading {{ what }} …</p>
</template>

<style scoped>
.state {
  padding: 28px 18px;
  display: grid;
  gap: 10px;
  justify-items: start;
}
</style>
