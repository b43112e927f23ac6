<script lang="ts">
/** Who signed in last in this tab. */
let lastLogin = ''
</script>

<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { api, take } from '../api/client'

const props = defineProps<{
  /** In the middle of work: the page behind stays as it is. */
  again?: boolean
}>()
const emit = defineEmits<{ signedIn: [] }>()
const login = ref(lastLogin)
const password = ref('')
const problem = ref('')
const busy = ref(false)
// At once, and not when the field is seen to be in view: that comes late, and takes the focus from who types already.
const loginField = ref<{ focus(): void }>()
const passwordField = ref<{ focus(): void }>()
onMounted(() => (props.again ? passwordField : loginField).value?.focus())

async function signIn() {
  busy.value = true
  problem.value = ''
  try {
    await take(api.POST('/session', { body: { login: login.value, password: password.value } }))
    lastLogin = login.value
    password.value = ''
    emit('signedIn')
  } catch (e) {
    problem.value = (e as Error).message
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <form class="card" @submit.prevent="signIn">
    <template v-if="again">
      <h2>You are signed out</h2>
      <p class="quiet">Sign in again: the page and what you were writing are still here.</p>
    </template>
    <template v-else>
      <h1>Job Shelf</h1>
      <p class="quiet">The desk of the print service. Sign in to see the shelf.</p>
    </template>
    <v-text-field id="login" v-model="login" label="Login" ref="loginField" autocomplete="username" required />
    <v-text-field
      id="password"
      v-model="password"
      label="Password"
      type="password"
      autocomplete="current-password"
      ref="passwordField"
      required
    />
    <p v-if="problem" role="alert" class="problem">■ {{ problem }}</p>
    <v-btn id="sign-in" type="submit" color="primary" variant="flat" :loading="busy" :disabled="!login || !password"
      >Sign in</v-btn
    >
  </form>
</template>

<style scoped>
.card {
  width: min(340px, 100%);
  display: grid;
  gap: 14px;
  padding: 28px;
  color: var(--ink);
  background: var(--card);
  border: 1px solid var(--rule);
  border-top: 5px solid var(--ink);
}
.problem {
  color: var(--stop);
  font-weight: 600;
}
</style>
