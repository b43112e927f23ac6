<script setup lang="ts">
import { computed } from 'vue'
import { usePanel } from '../composables/panels'
import { answerLeave, leaving } from '../composables/unsaved'

const open = computed(() => leaving.value !== undefined)
usePanel(open)
</script>

<template>
  <v-dialog
    :model-value="open"
    width="420"
    aria-label="Leave without saving?"
    @update:model-value="(is: boolean) => is || answerLeave(false)"
  >
    <div class="ask">
      <h2>Leave without saving?</h2>
      <p>What you have changed in {{ leaving }} is not saved.</p>
      <div class="acts">
        <v-btn id="stay" autofocus color="primary" variant="flat" @click="answerLeave(false)">Stay</v-btn>
        <v-btn id="leave" variant="text" @click="answerLeave(true)">Leave it</v-btn>
      </div>
    </div>
  </v-dialog>
</template>

<style scoped>
.ask {
  display: grid;
  gap: 12px;
  padding: 20px;
  color: var(--ink);
  background: var(--card);
  border: 1.5px solid var(--ink);
  border-radius: 3px;
}
.acts {
  display: flex;
  gap: 10px;
}
</style>
