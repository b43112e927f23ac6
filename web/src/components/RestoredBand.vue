<script setup lang="ts">
import { useHouse, useLooked } from '../api/queries'
import { useFormats } from '../composables/format'

/** Of a house that was restored from a copy: nothing is said to a machine before somebody has looked at all. */
const f = useFormats()
const house = useHouse()
const looked = useLooked()
</script>

<template>
  <div v-if="house.data.value?.restored" class="restored" role="alert">
    <p>
      <b>▲ This house was restored from a copy, {{ f.moment(house.data.value.restored) }}.</b> Its books end where the
      copy was made. Look at every machine: what it prints, what is on its bed, what is in its nozzles. Nothing is said
      to any before.
    </p>
    <v-btn id="looked" size="small" :disabled="looked.isPending.value" @click="looked.mutate(undefined)"
      >All machines were looked at</v-btn
    >
  </div>
</template>

<style scoped>
.restored {
  display: flex;
  gap: 16px;
  align-items: center;
  padding: 8px 18px;
  border-bottom: 2px solid var(--attention);
  background: color-mix(in srgb, var(--attention) 18%, var(--paper));
}
.restored .v-btn {
  flex: none;
}
</style>
