<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { ref } from 'vue'

/** What a machine's camera sees, a new picture every few seconds. */
const props = defineProps<{ machine: number; name: string }>()
const n = ref(0)
const failed = ref(false)
useIntervalFn(() => (n.value += 1), 3_000)
const src = () => `/api/machines/${props.machine}/camera?n=${n.value}`
</script>

<template>
  <figure>
    <img
      :src="src()"
      :alt="`The bed of ${name}, as its camera sees it`"
      :class="{ failed }"
      @load="failed = false"
      @error="failed = true"
    />
    <figcaption v-if="failed" class="quiet small">Its camera gives no picture now.</figcaption>
  </figure>
</template>

<style scoped>
figure {
  position: relative;
}
img {
  display: block;
  width: 100%;
  max-height: 300px;
  object-fit: contain;
  border: 1px solid var(--rule);
  border-radius: 3px;
  background: var(--card);
}
.failed {
  min-height: 80px;
  opacity: 0.3;
}
</style>
