<script setup lang="ts">
import { ref } from 'vue'
import { api, Refusal, take } from '../api/client'
import { say } from '../composables/notices'

const emit = defineEmits<{ done: [] }>()
const old = ref('')
const fresh = ref('')
const again = ref('')
const problem = ref('')
const fields = ref<Record<string, string>>({})
const busy = ref(false)

async function change() {
  problem.value = ''
  fields.value = {}
  if (fresh.value !== again.value) {
    fields.value = { again: 'It is not the same as above.' }
    return
  }
  busy.value = true
  try {
    await take(api.PUT('/session/password', { body: { old: old.value, new: fresh.value } }))
    say('Your password is changed. Other browsers are signed out.')
    old.value = fresh.value = again.value = ''
    emit('done')
  } catch (e) {
    problem.value = (e as Error).message
    if (e instanceof Refusal) fields.value = e.fields
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <form class="own" aria-label="Change your password" @submit.prevent="change">
    <h2>Your password</h2>
    <v-text-field
      id="password-old"
      v-model="old"
      label="So far"
      type="password"
      autocomplete="current-password"
      :error-messages="fields.old"
    />
    <v-text-field
      id="password-new"
      v-model="fresh"
      label="From now on"
      type="password"
      autocomplete="new-password"
      hint="At least 8 letters"
      persistent-hint
      :error-messages="fields.new"
    />
    <v-text-field
      id="password-again"
      v-model="again"
      label="Once more"
      type="password"
      autocomplete="new-password"
      :error-messages="fields.again"
    />
    <p v-if="problem && !Object.keys(fields).length" role="alert" class="problem">■ {{ problem }}</p>
    <v-btn
      id="password-change"
      type="submit"
      color="primary"
      variant="flat"
      :loading="busy"
      :disabled="!old || !fresh || !again"
      >Change it</v-btn
    >
  </form>
</template>

<style scoped>
.own {
  width: 300px;
  display: grid;
  gap: 10px;
  padding: 16px;
  background: var(--card);
  border: 1.5px solid var(--ink);
  border-radius: 3px;
}
.problem {
  color: var(--stop);
  font-weight: 600;
}
</style>
