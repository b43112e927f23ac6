<script setup lang="ts">
import { computed } from 'vue'
import type { Slip } from '../api/client'
import { useCancelCheck, useCheckAgain } from '../api/queries'
import { progress } from '../composables/events'

const props = defineProps<{ job: Pick<Slip, 'id' | 'check'> }>()
const cancel = useCancelCheck()
const again = useCheckAgain()
const running = computed(() => props.job.check.state === 'queued' || props.job.check.state === 'running')
const now = computed(() => progress.get(props.job.id))
const percent = computed(() => Math.round(100 * (now.value?.fraction ?? props.job.check.fraction)))
const doing = computed(() => now.value?.doing || props.job.check.doing || 'waiting for its turn')
</script>

<template>
  <div v-if="running" class="check" role="status">
    <div class="line">
      <span>{{ doing }}</span><span class="num">{{ percent }} %</span>
      <v-btn size="x-small" @click.stop.prevent="cancel.mutate(job.id)">Cancel</v-btn>
    </div>
    <v-progress-linear :model-value="percent" color="primary" height="5" :aria-label="`Check of job ${job.id}`" />
  </div>
  <div v-else-if="job.check.state !== 'done'" class="check over">
    <span
      >■ <strong v-if="job.check.state === 'set aside'">Set aside. </strong
      >{{ job.check.error || 'The check was cancelled.' }}</span
    >
    <v-btn size="x-small" class="check-again" @click.stop.prevent="again.mutate(job.id)">{{
      job.check.state === 'set aside' ? 'Try once more' : 'Check again'
    }}</v-btn>
  </div>
</template>

<style scoped>
.check {
  display: grid;
  gap: 4px;
  font-size: 0.88rem;
}
.line {
  display: flex;
  gap: 10px;
  align-items: center;
}
.line .num {
  margin-left: auto;
}
.over {
  color: var(--stop);
  justify-items: start;
}
.check .v-btn {
  height: auto;
  padding-block: 1px;
}
</style>
