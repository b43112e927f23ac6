<script setup lang="ts">
import { useKeys } from '../composables/keys'
import { hush, notices, undoLast } from '../composables/notices'

useKeys('Just now', [{ key: 'Shift+z', does: 'Undo it', run: undoLast, when: () => notices.some((n) => n.undo) }])
</script>

<template>
  <div class="notices" aria-live="polite">
    <div v-for="n in notices" :key="n.id" :class="['notice', n.kind]" :role="n.kind === 'refused' ? 'alert' : 'status'">
      <span class="mark" aria-hidden="true">{{ n.kind === 'refused' ? '■' : '✓' }}</span>
      <span>{{ n.text }}</span>
      <button v-if="n.undo" type="button" class="undo" @click="(hush(n.id), n.undo())">
        Undo <kbd class="on">Shift Z</kbd>
      </button>
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
.undo {
  font-size: 1rem;
  text-decoration: underline;
  text-underline-offset: 3px;
  white-space: nowrap;
}
button {
  margin-left: auto;
  font-size: 1.1rem;
  line-height: 1;
}
</style>
