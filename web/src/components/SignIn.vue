<script setup lang="ts">
import { ref } from 'vue'
import { api, take } from '../api/client'

const emit = defineEmits<{ signedIn: [] }>()
const login = ref('')
const password = ref('')
const problem = ref('')
const busy = ref(false)

async function signIn() {
  busy.value = true
  problem.value = ''
  try {
    await take(api.POST('/session', { body: { login: login.value, password: password.value } }))
    emit('signedIn')
  } catch (e) {
    problem.value = (e as Error).message
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <main class="door">
    <form class="card" @submit.prevent="signIn">
      <h1>Job Shelf</h1>
      <p class="quiet">The desk of the print service. Sign in to see the shelf.</p>
      <v-text-field id="login" v-model="login" label="Login" autocomplete="username" autofocus required />
      <v-text-field
        id="password"
        v-model="password"
        label="Password"
        type="password"
        autocomplete="current-password"
        required
      />
      <p v-if="problem" role="alert" class="problem">■ {{ problem }}</p>
      <v-btn id="sign-in" type="submit" color="primary" variant="flat" :loading="busy" :disabled="!login || !password"
        >Sign in</v-btn
      >
    </form>
  </main>
</template>

<style scoped>
.door {
  min-height: 100vh;
  display: grid;
  place-items: center;
}
.card {
  width: 340px;
  display: grid;
  gap: 14px;
  padding: 28px;
  background: var(--card);
  border: 1px solid var(--rule);
  border-top: 5px solid var(--ink);
}
.problem {
  color: var(--stop);
  font-weight: 600;
}
</style>
