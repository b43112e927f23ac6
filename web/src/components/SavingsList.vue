<script setup lang="ts">
import { computed } from 'vue'
import type { SliceView } from '../api/client'
import { useChooseSlice, useRemoveSlice, useSavings } from '../api/queries'
import { useFormats } from '../composables/format'
import { more } from './variants'

const props = defineProps<{ base: SliceView | undefined; all: readonly SliceView[]; may: boolean }>()
const emit = defineEmits<{ pick: [id: number] }>()
const f = useFormats()
const choose = useChooseSlice()
const savings = useSavings()
const remove = useRemoveSlice()
const saved = (s: SliceView) => (s.full && props.base?.full ? s.full.seconds - props.base.full.seconds : 0)
const over = (s: SliceView) => s.state === 'failed' || s.state === 'set aside'
// What saves most comes first, once all are known; until then they stay where they are.
const found = computed(() => {
  const own = props.all.filter((s) => s.base_id === props.base?.id && s.state !== 'cancelled')
  return own.every((s) => s.full || over(s)) ? own.sort((a, b) => saved(a) - saved(b)) : own
})
function takeIt(s: SliceView) {
  emit('pick', s.together ? s.base_id! : s.id)
  choose.mutate(s)
}
</script>

<template>
  <h3>What would save time</h3>
  <ul v-if="found.length" class="saves small">
    <li v-for="s in found" :key="s.id" :data-label="s.label" :class="{ quiet: saved(s) > -30 }">
      <span>{{ s.label }}</span>
      <template v-if="s.full && base?.full">
        <span class="num">{{ more.time(saved(s), f) }}</span><span class="num">{{
          more.grams(s.full.grams - base.full.grams, f)
        }}</span
        ><span class="num">{{ more.money(s.full.price_cents - base.full.price_cents, f) }}</span>
        <button type="button" class="link take" @click="takeIt(s)">
          {{ s.chosen ? '◆ taken' : s.together ? 'yes to it' : 'take it' }}
        </button>
      </template>
      <span v-else-if="over(s)" class="quiet error">{{ s.error }}</span>
      <span v-else class="num quiet">{{ Math.round(100 * s.fraction) }} %</span>
      <button
        v-if="may && !s.chosen && (s.full || over(s))"
        type="button"
        class="link remove"
        :aria-label="`Remove ${s.label}`"
        :disabled="remove.isPending.value"
        @click="remove.mutate(s.id)"
      >
        ×
      </button>
    </li>
  </ul>
  <v-btn
    v-else-if="may"
    id="savings"
    size="small"
    :disabled="savings.isPending.value"
    @click="base && savings.mutate(base.id)"
    >Try what saves time</v-btn
  >
</template>

<style scoped>
.saves {
  list-style: none;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 1fr 84px 70px 70px 60px 14px;
  gap: 6px;
  align-items: baseline;
  border-bottom: 1px solid var(--rule);
}
.num {
  text-align: right;
}
.error {
  grid-column: 2 / 6;
}
.remove {
  grid-column: 6;
  padding: 0;
  text-decoration: none !important;
}
.link {
  text-decoration: underline;
  color: var(--accent-words) !important;
}
</style>
