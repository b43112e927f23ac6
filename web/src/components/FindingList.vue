<script setup lang="ts">
import { computed } from 'vue'
import type { Finding } from '../api/client'
import GradeMark from './GradeMark.vue'

const props = defineProps<{ findings: readonly Finding[] }>()
const order = ['stops it', 'decide', 'worth knowing']
const sorted = computed(() => [...props.findings].sort((a, b) => order.indexOf(a.grade) - order.indexOf(b.grade)))
</script>

<template>
  <ul class="findings">
    <li v-for="(f, i) in sorted" :key="i" :class="f.grade.replace(' ', '-')">
      <GradeMark :grade="f.grade" /> <strong>{{ f.check }}</strong>
      <p>{{ f.text }}</p>
    </li>
    <li v-if="sorted.length === 0" class="none">✓ Nothing found that needs a look.</li>
  </ul>
</template>

<style scoped>
.findings { list-style: none; display: grid; gap: 8px; padding: 0; }
li { border-left: 4px solid var(--rule); padding: 1px 0 1px 10px; }
.stops-it { border-left-color: var(--stop); }
.decide { border-left-color: var(--attention); }
.none { border-left-color: var(--accent); }
strong { margin-left: 6px; }
p { margin: 1px 0 0; }
</style>
