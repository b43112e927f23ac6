<script setup lang="ts">
import type { LadderRow } from '../api/client'
import { useFormats } from '../composables/format'
import { overWords } from './over'

/** Why a row of a ladder does not take the job, and at which scale it would. */
defineProps<{ row: LadderRow }>()
const f = useFormats()
</script>

<template>
  <template v-if="!row.in_service"
    >Not yet in service<template v-if="!row.fits && overWords(row, f)"
      >, and {{ overWords(row, f) }}</template
    ></template
  >
  <template v-else-if="!row.fits && !overWords(row, f)">Not for this: see the findings</template>
  <template v-else-if="!row.fits"
    >✕ {{ overWords(row, f)
    }}<template v-if="row.scale_to_fit < 1"
      >; fits at {{ f.number(Math.floor(row.scale_to_fit * 1000) / 10, 1) }} %</template
    ></template
  >
  <template v-else>{{ row.against ?? 'No recipe for this purpose' }}</template>
</template>
