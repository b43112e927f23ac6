<script setup lang="ts">
import { ref } from 'vue'
import type { SupportMark, Overhang } from '../api/client'
import { useFormats } from '../composables/format'
import { markOf } from './overhangs'

defineProps<{ overhangs: readonly Overhang[]; marks: readonly SupportMark[]; may: boolean }>()
const emit = defineEmits<{ look: [overhang: Overhang]; mark: [overhang: Overhang, putIn: boolean] }>()
const f = useFormats()
const few = 5
const all = ref(false)
</script>

<template>
  <div>
    <h3>
      Overhangs <span class="small quiet num">{{ overhangs.length }}</span>
    </h3>
    <ul class="hangs small">
      <li v-for="(r, i) in all ? overhangs : overhangs.slice(0, few)" :key="i" :class="{ carried: r.carried }">
        <button type="button" class="place num" @click="emit('look', r)">
          {{ r.carried ? '▲' : '△' }} {{ f.number(r.min_mm[2] ?? 0, 1) }} mm up, {{ f.number(r.area_mm2, 0) }} mm²
        </button>
        <span>{{ r.why }}</span>
        <button v-if="may && !markOf(marks, r)" type="button" class="link" @click="emit('mark', r, !r.carried)">
          {{ r.carried ? 'keep it out' : 'put it in' }}
        </button>
      </li>
    </ul>
    <button v-if="overhangs.length > few" type="button" class="link small" @click="all = !all">
      {{ all ? 'the first five' : `all ${overhangs.length}` }}
    </button>
  </div>
</template>

<style scoped>
.hangs {
  list-style: none;
  padding: 0;
  margin: 3px 0;
  display: grid;
  gap: 3px;
}
li {
  border-left: 4px solid var(--rule);
  padding-left: 8px;
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 8px;
}
li.carried {
  border-left-color: #aa4499;
}
.place {
  grid-column: 1 / -1;
  text-align: left;
  text-decoration: underline;
  text-underline-offset: 3px;
}
.link {
  text-decoration: underline;
  color: var(--accent) !important;
  align-self: end;
}
</style>
