<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'
import type { Slip } from '../api/client'
import { useFormats } from '../composables/format'
import GradeMark from './GradeMark.vue'

/** What is to be looked at: one stop of the Tab key; arrows, which the room hears, walk it. */
const props = defineProps<{ slips: readonly Slip[]; here: number | undefined }>()
const f = useFormats()
const list = ref<HTMLElement>()
watch(
  () => props.here,
  async () => {
    const within = list.value?.contains(document.activeElement)
    await nextTick()
    const link = list.value?.querySelector<HTMLElement>('[aria-current=true]')
    link?.scrollIntoView?.({ block: 'nearest' })
    if (within) link?.focus()
  },
)
const stop = (s: Slip, i: number) =>
  s.id === props.here || (i === 0 && !props.slips.some((x) => x.id === props.here)) ? 0 : -1
</script>

<template>
  <ol ref="list">
    <li v-for="(s, i) in slips" :key="s.id">
      <router-link
        replace
        :to="`/counter/${s.id}`"
        :class="{ here: s.id === here }"
        :aria-current="s.id === here"
        :tabindex="stop(s, i)"
      >
        <span class="t">{{ s.title }}</span>
        <span v-if="s.needed_by" class="num small d">{{ f.day(s.needed_by) }}</span>
        <span class="quiet small m">{{ s.member }}</span>
        <span class="small g">
          <span v-if="s.asked" class="asked">asked</span>
          <GradeMark v-else-if="s.worst" :grade="s.worst.grade" :word="s.worst.rule ?? s.worst.check" />
          <template v-else-if="s.check.state === 'done'">✓</template>
          <template v-else-if="s.check.state === 'set aside'">set aside</template>
          <template v-else>…</template>
        </span>
      </router-link>
    </li>
  </ol>
</template>

<style scoped>
ol {
  list-style: none;
  padding: 0;
  margin-top: 8px;
}
a {
  display: grid;
  grid-template: 't t d' auto 'm g g' auto / minmax(56px, auto) minmax(0, 1fr) auto;
  gap: 0 8px;
  padding: 6px 10px;
  color: var(--ink);
  text-decoration: none;
  border-bottom: 1px solid var(--rule);
  border-left: 5px solid transparent;
}
a:focus-visible {
  outline-offset: -3px;
}
a:hover {
  background: var(--faint);
}
a.here {
  background: var(--card);
  border-left-color: var(--accent);
}
.t {
  grid-area: t;
  font-weight: 600;
  line-height: 1.2;
}
.d {
  grid-area: d;
}
.m {
  grid-area: m;
}
.g {
  grid-area: g;
  text-align: right;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
