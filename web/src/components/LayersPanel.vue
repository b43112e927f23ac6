<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { JobView, LadderRow, Overhang, PieceView, SliceView } from '../api/client'
import { useSettings, useSlices } from '../api/queries'
import type { OrderDraft } from '../composables/orderDraft'
import OverhangList from './OverhangList.vue'
import SavingsList from './SavingsList.vue'
import SliceTakes from './SliceTakes.vue'
import VariantList from './VariantList.vue'
import { variantName } from './variants'

const props = defineProps<{
  job: JobView
  piece: PieceView
  row: LadderRow | undefined
  /** What is asked for of the next slice. */
  draft: OrderDraft | undefined
  may: boolean
}>()
const emit = defineEmits<{ look: [overhang: Overhang]; mark: [overhang: Overhang, putIn: boolean] }>()
const shown = defineModel<SliceView | undefined>()
/** The variant that stands beside. */
const beside = defineModel<SliceView | undefined>('beside')
/** Which of its plates is looked at. */
const plate = defineModel<number>('plate', { default: 1 })
const slices = useSlices(() => props.piece.id)
const settings = useSettings()
const settingOf = (key: string) => settings.data.value?.recipe.find((s) => s.key === key)

// Variants are for the machine looked at, and for the job as it is; alternatives stand under what they are held against.
const all = computed(() => (slices.data.value ?? []).filter((s) => !s.of))
const variants = computed(() =>
  all.value.filter((s) => !s.base_id && s.machine_id === props.row?.machine_id && s.state !== 'cancelled'),
)
const running = computed(() => all.value.filter((s) => s.state === 'queued' || s.state === 'running'))
const done = computed(() => all.value.filter((s) => s.state === 'done'))
const pickedId = ref<number>()
const picked = computed(
  () => done.value.find((s) => s.id === pickedId.value) ?? variants.value.findLast((s) => s.state === 'done'),
)
const base = computed(() =>
  picked.value?.base_id ? all.value.find((s) => s.id === picked.value!.base_id) : picked.value,
)
watch(picked, (v) => (shown.value = v), { immediate: true })
watch(
  () => [props.piece.id, props.row?.machine_id],
  () => (pickedId.value = undefined),
)
const other = ref<number>()
const compared = computed(() => done.value.find((s) => s.id === other.value && s.id !== picked.value?.id))
watch(compared, (v) => (beside.value = v))
</script>

<template>
  <section class="layers">
    <h2>
      Layers <span class="small quiet">on {{ row?.name }}</span>
    </h2>
    <VariantList
      :variants="variants"
      :running="running"
      :picked="picked"
      :setting-of="settingOf"
      :may="may"
      @pick="pickedId = $event"
    />
    <div v-if="picked && picked.plates.length > 1" class="tabs small" role="group" aria-label="Plates">
      <button v-for="p in picked.plates" :key="p.n" type="button" :aria-pressed="p.n === plate" @click="plate = p.n">
        Plate {{ p.n }}<span class="quiet"> × {{ p.spots.length }}</span>
      </button>
    </div>
    <p v-if="picked?.stale" class="small staleness">▲ {{ picked.stale }}</p>
    <ul
      v-if="picked && (picked.overrides.length || picked.regions?.length)"
      class="diff small"
      aria-label="What differs from the recipe"
    >
      <li v-for="d in picked.overrides" :key="d.key">
        <strong>{{ settingOf(d.key)?.name ?? d.key }}</strong>{{ '' }}
        <span class="num">{{ d.was || '–' }} → {{ d.value }} {{ settingOf(d.key)?.unit }}</span
        ><span class="quiet"
          >{{ d.why }}<template v-if="d.who">, {{ d.who }}</template></span
        >
      </li>
      <li v-for="(r, i) in picked.regions ?? []" :key="`place ${i}`">
        <strong>A place filled otherwise</strong>{{ ''
        }}<span class="num">{{
          [r.shells ? `${r.shells} shells` : '', r.infill_percent === undefined ? '' : `${r.infill_percent} % infill`]
            .filter(Boolean)
            .join(', ')
        }}</span
        ><span class="quiet"
          >{{ r.why }}<template v-if="r.who">, {{ r.who }}</template></span
        >
      </li>
    </ul>
    <template v-if="picked?.full">
      <SavingsList :base="base" :all="all" :may="may" @pick="pickedId = $event" />
      <SliceTakes :job="job" :slice="picked" :compared="compared" :plate="plate" />
      <OverhangList
        v-if="picked.overhangs.length"
        :overhangs="picked.overhangs"
        :marks="draft?.marks ?? []"
        :may="may && !!row?.fits"
        @look="emit('look', $event)"
        @mark="(o, putIn) => emit('mark', o, putIn)"
      />
      <p class="row small">
        <a id="gcode" :href="`/api/slices/${picked.id}/gcode?plate=${plate}`">G-code</a>{{ '' }}
        <a id="plate" :href="`/api/slices/${picked.id}/plate?plate=${plate}`">Plate as 3MF</a>
        <label v-if="done.length > 1"
          >beside
          <select v-model="other" aria-label="Compare with">
            <option :value="undefined">nothing</option>
            <option v-for="s in done.filter((x) => x.id !== picked?.id)" :key="s.id" :value="s.id">
              {{ variantName(s, settingOf)
              }}<template v-if="s.machine_id !== row?.machine_id">, {{ s.machine }}</template>
            </option>
          </select></label
        >
      </p>
    </template>
  </section>
</template>

<style scoped>
.layers {
  display: grid;
  gap: 6px;
}
.tabs {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.tabs button {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 0 8px;
}
.tabs button[aria-pressed='true'] {
  border-color: var(--ink);
  font-weight: 600;
}
.staleness {
  color: var(--attention-words);
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
}
select {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 6px;
  background: var(--card);
  color: var(--ink);
}
.diff {
  list-style: none;
  padding: 0 0 0 12px;
}
.diff li {
  display: flex;
  flex-wrap: wrap;
  gap: 0 8px;
}
</style>
