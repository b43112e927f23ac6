<script lang="ts">
/** A column of the house's tables: what it says of an entry, and by what it is put in order. */
export interface Column<E> {
  title: string
  text: (e: E) => string
  /** By what the rows are put in order; else by the text. */
  by?: (e: E) => string | number
  right?: boolean
  num?: boolean
  /** A spot of this colour before the text. */
  dot?: (e: E) => string | undefined
  /** A second line, smaller. */
  under?: (e: E) => string
}
</script>

<script setup lang="ts" generic="E extends { id: number }">
import { computed } from 'vue'

const props = defineProps<{ entries: readonly E[]; columns: readonly Column<E>[]; here: number | undefined }>()
const emit = defineEmits<{ choose: [id: number] }>()
const headers = computed(() =>
  props.columns.map((c, i) => ({
    title: c.title,
    key: `c${i}`,
    value: (e: E) => (c.by ?? c.text)(e),
    align: c.right ? ('end' as const) : ('start' as const),
    cellProps: c.num ? { class: 'num' } : {},
  })),
)
const rowProps = ({ item }: { item: E }) => ({ class: { here: item.id === props.here } })
</script>

<template>
  <v-data-table
    class="entries"
    density="compact"
    :headers="headers"
    :items="[...entries]"
    :row-props="rowProps"
    :items-per-page="-1"
    hide-default-footer
    hover
    @click:row="(_: Event, { item }: { item: E }) => emit('choose', item.id)"
  >
    <template v-for="(c, i) in columns" :key="c.title" #[`item.c${i}`]="{ item }">
      <span v-if="c.dot" class="dot" :style="{ background: c.dot(item) }" />
      <button v-if="i === 0" type="button" :aria-pressed="item.id === here" @click.stop="emit('choose', item.id)">
        {{ c.text(item) }}
      </button>
      <template v-else>{{ c.text(item) }}</template>
      <div v-if="c.under" class="small quiet">{{ c.under(item) }}</div>
    </template>
  </v-data-table>
</template>

<style scoped>
.entries {
  background: none;
}
.entries :deep(:is(th, td)) {
  padding: 4px 8px;
  height: auto;
}
.entries :deep(th) {
  font-weight: 560;
  font-size: 0.82rem;
  color: var(--quiet);
  border-bottom: 1.5px solid var(--ink) !important;
}
.entries :deep(tbody tr) {
  cursor: pointer;
}
.entries :deep(.here td) {
  background: color-mix(in srgb, var(--accent) 14%, var(--card));
}
button {
  padding: 0;
  font-weight: 650;
  text-align: left;
}
.dot {
  display: inline-block;
  width: 10px;
  height: 10px;
  margin-right: 4px;
  border-radius: 50%;
  border: 1px solid var(--ink);
}
</style>
