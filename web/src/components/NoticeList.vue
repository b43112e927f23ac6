<script setup lang="ts">
import { hush, notices } from '../composables/notices'
</script>

<template>
  <div class="notices" aria-live="polite">
    <div v-for="n in notices" :key="n.id" :class="['notice', n.kind]" :role="n.kind === 'refused' ? 'alert' : 'status'">
      <span class="mark" aria-hidden="true">{{ n.kind === 'refused' ? '■' : '✓' }}</span>
      <span>{{ n.text }}</span>
      <button type="button" aria-label="Close" @click="hush(n.id)">×</button>
    </div>
  </div>
</template>

<style scoped>
.notices {
  position: fixed;
  bottom: 16px;
  left: 18px;
  z-index: 2500;
  display: grid;
  gap: 8px;
  max-width: 460px;
}
.notice {
  display: flex;
  gap: 10px;
  padding: 9px 12px;
  background: var(--ink);
  color: var(--paper);
  border-radius: 4px;
  border-left: 5px solid var(--accent);
}
.refused {
  border-left-color: var(--stop);
}
.mark {
  font-weight: 700;
}
button {
  margin-left: auto;
  font-size: 1.1rem;
  line-height: 1;
}
</style>
