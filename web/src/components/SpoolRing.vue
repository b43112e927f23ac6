<script setup lang="ts">
import { computed } from 'vue'

/** A spool from its side: as much of it filled as is left of a full one, and of that, hatched, what is promised. */
const props = defineProps<{ left: number; full: number; held: number; colour: string; says: string }>()
const around = 2 * Math.PI * 15
const share = (g: number) => Math.max(0, Math.min(1, props.full > 0 ? g / props.full : 0))
const left = computed(() => share(props.left))
const held = computed(() => Math.min(left.value, share(props.held)))
</script>

<template>
  <svg viewBox="0 0 44 44" class="ring" role="img" :aria-label="says">
    <defs>
      <pattern id="promised" width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <rect width="1.6" height="4" class="hatch" />
      </pattern>
    </defs>
    <circle cx="22" cy="22" r="15" class="empty" />
    <circle
      v-if="left > 0"
      cx="22"
      cy="22"
      r="15"
      class="edge"
      :stroke-dasharray="`${left * around + 0.7} ${around}`"
      stroke-dashoffset="0.35"
    />
    <circle
      v-if="left > 0"
      cx="22"
      cy="22"
      r="15"
      class="left"
      :stroke="colour || '#8a8a8a'"
      :stroke-dasharray="`${left * around} ${around}`"
    />
    <circle
      v-if="held > 0"
      cx="22"
      cy="22"
      r="15"
      class="held"
      stroke="url(#promised)"
      :stroke-dasharray="`${held * around} ${around}`"
    />
    <circle cx="22" cy="22" r="21" class="rim" />
    <circle cx="22" cy="22" r="9" class="rim" />
    <circle cx="22" cy="22" r="3.5" class="rim" />
  </svg>
</template>

<style scoped>
.ring {
  width: 44px;
  height: 44px;
  flex: none;
  transform: rotate(-90deg);
}
circle {
  fill: none;
}
.empty {
  stroke: var(--faint);
  stroke-width: 11;
}
.edge {
  stroke: var(--ink);
  stroke-width: 11;
}
.left,
.held {
  stroke-width: 11;
}
.hatch {
  fill: var(--card);
  stroke: none;
}
.rim {
  stroke: var(--ink);
  stroke-width: 1;
}
</style>
