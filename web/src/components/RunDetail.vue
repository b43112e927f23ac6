<script setup lang="ts">
import { ref } from 'vue'
import type { FloorView, RunView } from '../api/client'
import { useFormats } from '../composables/format'
import { titleOf } from './lanes'
import PlateMates from './PlateMates.vue'

defineProps<{ run: RunView | undefined; others: FloorView['lanes'] }>()
const emit = defineEmits<{ shift: [by: number]; to: [machine: number] }>()
const f = useFormats()
const mates = ref<InstanceType<typeof PlateMates>>()
defineExpose({
  putFirst: () => mates.value?.putFirst(),
  takeLastOut: () => mates.value?.takeLastOut(),
})
</script>

<template>
  <aside class="detail" aria-label="The chosen run" aria-live="polite">
    <template v-if="run">
      <div>
        <strong class="title">{{ titleOf(run) }}</strong>
        <span v-if="run.plates && run.plates > 1">plate {{ run.plate }} of {{ run.plates }}, </span
        ><span class="quiet">{{ run.shares ? '' : `${run.member}, ` }}{{ run.recipe }}</span
        ><br />
        <span class="num"
          ><span id="run-start">{{ f.moment(run.start) }}</span> →
          <span id="run-finish">{{ f.moment(run.finish) }}</span> · {{ f.duration(run.seconds) }} ·
          {{ f.grams(run.grams) }} · {{ f.money(run.price_cents) }}</span
        >
        <span v-if="run.short" class="lateword"> · ▲ {{ run.short }}</span>
        <span v-if="run.unsliced" class="lateword"> · to be sliced before the start</span>
        <span v-if="run.needed_by && !run.shares" :class="{ lateword: run.late }">
          · needed by {{ f.day(run.needed_by) }}{{ run.late ? ', late' : '' }}</span
        >
      </div>
      <div class="acts">
        <template v-if="run.movable">
          <v-btn size="small" @click="emit('shift', -1)">Earlier</v-btn>
          <v-btn size="small" @click="emit('shift', 1)">Later</v-btn>
          <template v-if="!run.shares">
            <v-btn v-for="l in others" :key="l.machine_id" size="small" variant="text" @click="emit('to', l.machine_id)"
              >To {{ l.name }}</v-btn
            >
          </template>
        </template>
        <v-btn size="small" :to="`/machine/${run.machine_id}`">Its machine <kbd class="on">S</kbd></v-btn>
        <v-btn v-if="!run.unsliced" id="run-gcode" size="small" variant="text" :href="`/api/runs/${run.id}/gcode`"
          >G-code</v-btn
        >
        <v-btn size="small" variant="text" :to="`/bench/${run.job_id}`">Bench <kbd class="on">B</kbd></v-btn>
      </div>
    </template>
    <PlateMates v-if="run" ref="mates" :run="run" />
    <p v-if="!run" class="quiet">
      Choose a block with a click or the arrow keys. Drag it, or move it with <kbd>Shift</kbd> and the arrows.
    </p>
  </aside>
</template>

<style scoped>
.detail {
  position: sticky;
  bottom: 0;
  z-index: 6;
  display: flex;
  flex-wrap: wrap;
  gap: 8px 20px;
  align-items: center;
  justify-content: space-between;
  padding: 10px 18px;
  min-height: 66px;
  background: var(--card);
  border-top: 2px solid var(--ink);
}
.title {
  margin-right: 6px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.lateword {
  color: var(--stop);
  font-weight: 600;
}
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 6px;
}
</style>
