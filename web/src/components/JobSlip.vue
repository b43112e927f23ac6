<script setup lang="ts">
import { computed } from 'vue'
import type { Slip } from '../api/client'
import { useFormats } from '../composables/format'
import CheckProgress from './CheckProgress.vue'
import GradeMark from './GradeMark.vue'

const props = defineProps<{ slip: Slip; to: string }>()
const f = useFormats()
const checking = computed(() => ['queued', 'running', 'set aside'].includes(props.slip.check.state))
</script>

<template>
  <router-link :to="to" class="slip" :data-job="slip.id">
    <img
      v-if="slip.pictured"
      :src="`/api/pieces/${slip.piece_id}/picture`"
      alt=""
      width="64"
      height="48"
      loading="lazy"
    />
    <span v-else class="blank" aria-hidden="true">?</span>
    <span class="words">
      <span class="title">{{ slip.title }}</span>
      <span class="quiet small"
        >{{ slip.member }}<template v-if="slip.pieces > 1">, {{ slip.pieces }} pieces</template></span
      >
    </span>
    <span class="facts small">
      <CheckProgress v-if="checking" :job="slip" />
      <template v-else>
        <span v-if="slip.size" class="size" :title="`Made ${slip.size} as large as it came`">{{ slip.size }}</span>
        <span v-if="slip.seconds" class="num">{{ f.duration(slip.seconds) }}</span>
        <span v-if="slip.grams" class="num">{{ f.grams(slip.grams) }}</span>
        <span v-if="slip.price_cents" class="num">{{ f.money(slip.price_cents) }}</span>
        <span v-if="slip.state === 'being sliced'" class="slicing">being sliced</span>
      </template>
    </span>
    <span v-if="slip.asked" class="said small">? {{ slip.asked }}</span>
    <span v-else-if="slip.told" class="said small quiet">{{ slip.told }}</span>
    <span class="foot small">
      <GradeMark
        v-if="slip.worst"
        :grade="slip.worst.grade"
        :word="slip.worst.rule ?? slip.worst.check"
        class="what"
        :title="slip.worst.text"
      />
      <span v-if="slip.needed_by" :class="['due', { late: slip.late }]"
        >{{ slip.late ? '⚑ late for' : 'by' }} {{ f.day(slip.needed_by) }}</span
      >
    </span>
  </router-link>
</template>

<style scoped>
.slip {
  display: grid;
  grid-template: 'img words' auto 'facts facts' auto 'said said' auto 'foot foot' 1fr / 64px minmax(0, 1fr);
  gap: 3px 9px;
  min-height: 112px;
  padding: 8px 10px 6px;
  color: var(--ink);
  text-decoration: none;
  background: var(--card);
  border: 1px solid var(--rule);
  border-bottom: none;
  border-radius: 3px 3px 0 0;
}
.size {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 0 4px;
}
.said {
  grid-area: said;
  overflow: hidden;
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  line-clamp: 2;
  white-space: pre-line;
}
.slip:hover {
  border-color: var(--ink);
}
img,
.blank {
  grid-area: img;
  width: 64px;
  height: 48px;
  object-fit: contain;
}
.blank {
  display: grid;
  place-items: center;
  color: var(--quiet);
  border: 1px dashed var(--rule);
}
.slicing {
  color: var(--accent-words);
  font-weight: 600;
}
.words .quiet {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.words {
  grid-area: words;
  display: flex;
  flex-direction: column;
  min-width: 0;
}
.title {
  font-weight: 650;
  line-height: 1.15;
  display: -webkit-box;
  -webkit-line-clamp: 2;
  line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
}
.facts {
  grid-area: facts;
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
.facts > :deep(.check) {
  width: 100%;
}
.foot {
  grid-area: foot;
  display: flex;
  gap: 6px;
  align-items: end;
  white-space: nowrap;
  overflow: hidden;
}
.what {
  overflow: hidden;
  text-overflow: ellipsis;
}
.due {
  margin-left: auto;
}
.late {
  color: var(--stop);
  font-weight: 650;
}
</style>
