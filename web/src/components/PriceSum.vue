<script setup lang="ts">
import type { LadderRow } from '../api/client'
import { useFormats } from '../composables/format'

defineProps<{ row: LadderRow }>()
const f = useFormats()
</script>

<template>
  <section v-if="row.lines?.length">
    <h2>Price on {{ row.name }}</h2>
    <table class="ledger sum">
      <tbody>
        <tr v-for="l in row.lines" :key="l.text">
          <td>{{ l.text }}</td>
          <td class="right num">{{ f.money(l.cents) }}</td>
        </tr>
        <tr>
          <td><strong>Together</strong></td>
          <td class="right num">
            <strong>{{ f.money(row.price_cents) }}</strong>
          </td>
        </tr>
      </tbody>
    </table>
    <p class="small quiet">
      {{ row.recipe }}: <span class="num">{{ row.layers }}</span> layers,
      <span class="num">{{ f.metres(row.filament_m) }}</span> of filament;
      <span class="num">{{ f.duration(row.warm_up_seconds) }}</span> of the time is warm-up.
      {{ row.full ? 'From the layers.' : 'Quick estimate.' }}
    </p>
  </section>
</template>

<style scoped>
h2 {
  margin: 16px 0 4px;
}
.sum td {
  padding: 2px 8px;
}
</style>
