<script setup lang="ts">
import { useWorkers } from '../api/queries'
import { useFormats } from '../composables/format'

const workers = useWorkers()
const f = useFormats()
/** What each queue is for, by who waits. */
const queues: Record<string, string> = { counter: 'checks', bench: 'slices', night: 'alternatives' }
</script>

<template>
  <p v-if="workers.isError.value" role="alert" class="quiet">The workers cannot be listed now.</p>
  <p v-else-if="workers.data.value && !workers.data.value.length" class="quiet">
    Nobody works: what is handed in waits. Start the server, or <code>jobshelf work</code> on another machine.
  </p>
  <table v-else class="ledger">
    <caption class="quiet small">
      Processes that work in the house now; what dies is missed within twenty seconds
    </caption>
    <thead>
      <tr>
        <th>Worker</th>
        <th>Does</th>
        <th class="right">Cores</th>
        <th class="right">Memory</th>
        <th>Version</th>
        <th>Since</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="w in workers.data.value" :key="w.name">
        <td>
          <strong>{{ w.name }}</strong>
        </td>
        <td>{{ (w.queues ?? []).map((q) => queues[q] ?? q).join(', ') }}</td>
        <td class="right num">{{ w.cores }}</td>
        <td class="right num">{{ w.memory_mb ? `${f.number(w.memory_mb)} MB` : 'no bound' }}</td>
        <td class="num small">{{ w.version }}</td>
        <td class="num">{{ f.moment(w.since) }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
caption {
  text-align: left;
  padding-bottom: 4px;
}
</style>
