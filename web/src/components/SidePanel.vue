<script setup lang="ts">
defineProps<{ label: string; width: number | string }>()
/** Lies over the room at its right; holds the focus, and closes by Esc. */
const open = defineModel<boolean>({ required: true })
</script>

<template>
  <v-dialog
    v-model="open"
    :width="width"
    :aria-label="label"
    class="side-panel"
    transition="slide-x-reverse-transition"
  >
    <div class="sheet"><slot /></div>
  </v-dialog>
</template>

<style>
.side-panel {
  justify-content: flex-end !important;
  align-items: stretch !important;
}
.side-panel > .v-overlay__content {
  margin: 0 !important;
  max-width: 100vw !important;
  height: 100%;
  max-height: 100% !important;
}
.side-panel .sheet {
  height: 100%;
  overflow-y: auto;
  padding: 18px;
  background: var(--card);
  border-left: 2px solid var(--ink);
  color: var(--ink);
}
.v-dialog > .v-overlay__content:focus-visible {
  outline: none;
}
</style>
