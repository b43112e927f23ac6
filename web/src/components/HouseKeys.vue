<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import type { Actor } from '../api/client'
import { useEvents } from '../composables/events'
import { allKeys, lettersOn, spell, useKeys } from '../composables/keys'
import { usePanel } from '../composables/panels'
import { roomsOf } from '../router'
import SidePanel from './SidePanel.vue'

const props = defineProps<{ who: Actor }>()
const open = defineModel<boolean>({ required: true })
const emit = defineEmits<{ handIn: []; theme: [] }>()
const router = useRouter()

useEvents()
useKeys('Everywhere', [
  ...roomsOf(props.who.role).map((r) => ({
    key: r.key,
    does: `Go to the ${r.name}`,
    run: () => void router.push(r.path),
  })),
  { key: 'h', does: 'Hand in a model', run: () => emit('handIn') },
  { key: 'Shift+d', does: 'Light or dark', run: () => emit('theme') },
  { key: '?', does: 'Show the keys', run: () => (open.value = true) },
])
const panel = usePanel(open)
useKeys('This list', [{ key: '?', does: 'Close it', run: () => (open.value = false) }], panel)
const shown = computed(() => [...allKeys].reverse().filter((g) => !g.panel || g.panel === panel))
</script>

<template>
  <SidePanel v-model="open" width="340" label="Keys">
    <h2>Keys</h2>
    <label class="small switch">
      <input v-model="lettersOn" type="checkbox" />
      <span>Keys of one letter work. Without them, arrows, Enter and Esc still do, and <kbd>?</kbd>.</span>
    </label>
    <section v-for="(g, i) in shown" :key="i">
      <h3>{{ g.title }}</h3>
      <dl>
        <template v-for="k in g.keys" :key="k.key">
          <dt>
            <kbd>{{ spell(k.key) }}</kbd>
          </dt>
          <dd>{{ k.does }}</dd>
        </template>
      </dl>
    </section>
  </SidePanel>
</template>

<style scoped>
.switch {
  display: flex;
  gap: 8px;
  align-items: baseline;
  margin-top: 8px;
}
h3 {
  margin: 14px 0 4px;
}
dl {
  display: grid;
  grid-template-columns: 88px 1fr;
  gap: 5px 12px;
  align-items: baseline;
}
</style>
