<script setup lang="ts">
import type { JobFinding } from '../api/client'

defineProps<{
  grade: JobFinding['grade']
  /** @default the grade itself */
  word?: string
}>()
// A shape, a word and a colour, so that none of them speaks alone.
const shape = { 'stops it': '■', decide: '▲', 'worth knowing': '●' }
</script>

<template>
  <span :class="['grade', grade.replace(' ', '-')]"
    ><span aria-hidden="true">{{ shape[grade] }}</span> {{ word ?? grade }}</span
  >
</template>

<style scoped>
.grade {
  font-weight: 650;
  font-size: 0.86rem;
  white-space: nowrap;
}
.stops-it {
  color: var(--stop);
}
.decide {
  color: var(--attention-words);
}
.worth-knowing {
  color: var(--quiet);
}
</style>
