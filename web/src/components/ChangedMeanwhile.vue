<script setup lang="ts">
import { plainNumber } from './fields'

/** Somebody else has saved what is being written here. */
defineProps<{ clashes: readonly { label: string; theirs: unknown }[] }>()
const emit = defineEmits<{ theirs: [] }>()
const shown = (v: unknown) => (Array.isArray(v) ? v.join(', ') : plainNumber(v)) || 'nothing'
</script>

<template>
  <div class="meanwhile" role="status">
    <p>
      <strong>Changed meanwhile.</strong> Somebody else has saved this. Their values are in, save where you have written
      your own.
    </p>
    <ul v-if="clashes.length">
      <li v-for="c in clashes" :key="c.label">{{ c.label }}: they set {{ shown(c.theirs) }}. Yours stands below.</li>
    </ul>
    <v-btn size="small" class="take-theirs" @click="emit('theirs')">Take theirs</v-btn>
  </div>
</template>

<style scoped>
.meanwhile {
  border-left: 5px solid var(--attention);
  padding: 6px 12px;
  background: color-mix(in srgb, var(--attention) 12%, transparent);
  display: grid;
  gap: 5px;
  justify-items: start;
}
ul {
  padding-left: 18px;
}
</style>
