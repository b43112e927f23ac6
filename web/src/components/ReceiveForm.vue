<script setup lang="ts">
import { computed, ref } from 'vue'
import { useMaterialsOf, useReceiveSpools } from '../api/queries'
import { useFormats } from '../composables/format'
import { useUnsaved } from '../composables/unsaved'

/** Spools that have come. */
const emit = defineEmits<{ done: [ids: number[]] }>()
const f = useFormats()
const materials = useMaterialsOf()
const receive = useReceiveSpools()
const material = ref<number>()
const colourName = ref('')
const colour = ref('#8a8a8a')
const lot = ref('')
const place = ref('')
const grams = ref('')
const reel = ref('')
const spools = ref('1')
const chosen = computed(() => materials.value.find((m) => m.id === material.value))
function choose() {
  if (chosen.value && !grams.value) grams.value = f.value.typed(chosen.value.data.spool_grams)
}
useUnsaved(
  () => 'the spools that have come',
  () => !!colourName.value.trim(),
)
const body = computed(() => {
  const g = f.value.read(grams.value)
  const r = reel.value.trim() ? f.value.read(reel.value) : 0
  const n = f.value.read(spools.value)
  if (!material.value || !colourName.value.trim() || !g || r === undefined || !n || !Number.isInteger(n)) return
  return {
    material_id: material.value,
    colour: colour.value,
    colour_name: colourName.value.trim(),
    lot: lot.value.trim(),
    place: place.value.trim(),
    grams: g,
    reel_grams: r,
    spools: n,
  }
})
function save() {
  if (!body.value) return
  receive.mutate(body.value, {
    onSuccess: (ids) => {
      colourName.value = ''
      emit('done', ids)
    },
  })
}
</script>

<template>
  <form class="come" @submit.prevent="save">
    <h2>Spools have come</h2>
    <label class="pick"
      >Material
      <select v-model="material" required @change="choose">
        <option v-for="m in materials" :key="m.id" :value="m.id">{{ m.data.name }}</option>
      </select>
    </label>
    <div class="two">
      <v-text-field v-model="colourName" label="Colour, in words" density="compact" hide-details maxlength="40" />
      <label class="pick"
        ><span>Shown as</span> <input v-model="colour" type="color" aria-label="Colour, as it is shown"
      /></label>
    </div>
    <div class="two">
      <v-text-field v-model="grams" label="On each, without the reel" suffix="g" density="compact" hide-details />
      <v-text-field v-model="reel" label="An empty reel weighs" suffix="g" density="compact" hide-details />
    </div>
    <div class="two">
      <v-text-field v-model="spools" label="How many" density="compact" hide-details />
      <v-text-field v-model="place" label="Where they are kept" density="compact" hide-details maxlength="60" />
    </div>
    <v-text-field v-model="lot" label="Lot, as on the label" density="compact" hide-details maxlength="60" />
    <p class="small quiet">Without the reel's own weight a spool cannot be weighed later; it can be said then.</p>
    <v-btn type="submit" color="primary" variant="flat" :disabled="!body || receive.isPending.value"
      >Into the stores</v-btn
    >
  </form>
</template>

<style scoped>
.come {
  display: grid;
  gap: 12px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
  align-items: center;
}
.pick {
  display: flex;
  gap: 10px;
  align-items: center;
}
select {
  flex: 1;
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 6px 8px;
  background: var(--card);
  color: var(--ink);
}
</style>
