<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'

/** The server is not there, and nobody knows yet who sits here: no sign-in form, which could not be answered. */
const emit = defineEmits<{ again: [] }>()
useIntervalFn(() => emit('again'), 3000)
</script>

<template>
  <v-main>
    <div class="away" role="alert">
      <h1>Job Shelf</h1>
      <p>■ The server does not answer. This page tries again every three seconds.</p>
      <v-btn size="small" @click="emit('again')">Try now</v-btn>
    </div>
  </v-main>
</template>

<style scoped>
.away {
  max-width: 420px;
  margin: 12vh auto 0;
  padding: 24px;
  display: grid;
  gap: 12px;
  justify-items: start;
  background: var(--card);
  border-top: 5px solid var(--stop);
}
</style>
