<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import type { Actor } from '../api/client'
import { useEvents } from '../composables/events'
import { allKeys, spell, useKeys } from '../composables/keys'
import { rooms } from '../router'

defineProps<{ who: Actor }>()
const open = defineModel<boolean>({ required: true })
const emit = defineEmits<{ handIn: []; theme: [] }>()
const router = useRouter()

useEvents()
useKeys('Everywhere', [
  ...rooms.map((r) => ({ key: r.key, does: `Go to the ${r.name}`, run: () => void router.push(r.path) })),
  { key: 'h', does: 'Hand in a model', run: () => emit('handIn') },
  { key: 'Shift+d', does: 'Light or dark', run: () => emit('theme') },
  { key: '?', does: 'Show or hide the keys', run: () => (open.value = !open.value) },
  { key: 'Escape', does: 'Close this list', run: () => (open.value = false), when: () => open.value },
])
const shown = computed(() => [...allKeys].reverse())
</script>

<template>
  <v-navigation-drawer v-model="open" location="right" temporary width="320" aria-label="Keys">
    <div class="pad">
      <h2>Keys</h2>
      <section v-for="g in shown" :key="g.title">
        <h3>{{ g.title }}</h3>
        <dl>
          <template v-for="k in g.keys" :key="k.key"
            ><dt>
              <kbd>{{ spell(k.key) }}</kbd>
            </dt>
            <dd>{{ k.does }}</dd></template
          >
        </dl>
      </section>
    </div>
  </v-navigation-drawer>
</template>

<style scoped>
.pad {
  padding: 18px;
}
h3 {
  margin: 14px 0 4px;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 5px 12px;
  align-items: baseline;
}
</style>
