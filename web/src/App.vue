<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { ref, watch } from 'vue'
import { useTheme } from 'vuetify'
import { api, forgetAnswers, take } from './api/client'
import { useWho } from './api/queries'
import HandInPanel from './components/HandInPanel.vue'
import HouseKeys from './components/HouseKeys.vue'
import NoticeList from './components/NoticeList.vue'
import SignIn from './components/SignIn.vue'
import TopBand from './components/TopBand.vue'
import { provideFormats } from './composables/format'

const who = useWho()
const queries = useQueryClient()
const theme = useTheme()
provideFormats(() => !!who.data.value)
const handIn = ref(false)
const dropped = ref<File[]>([])
const keysOpen = ref(false)

function turnTheme() {
  const next = theme.global.name.value === 'paper' ? 'lamp' : 'paper'
  theme.change(next)
  localStorage.setItem('theme', next)
}

async function signOut() {
  await take(api.DELETE('/session'))
  forgetAnswers()
  queries.clear()
  await who.refetch()
}

// A file dropped anywhere opens the counter's hatch with it.
const over = ref(false)
let depth = 0
function onDrag(e: DragEvent, d: number) {
  if (!who.data.value || !e.dataTransfer?.types.includes('Files')) return
  e.preventDefault()
  depth = Math.max(0, depth + d)
  over.value = depth > 0
}
function onDrop(e: DragEvent) {
  if (!who.data.value || !e.dataTransfer?.files.length) return
  e.preventDefault()
  depth = 0
  over.value = false
  dropped.value = [...e.dataTransfer.files]
  handIn.value = true
}
watch(handIn, (open) => {
  if (!open) dropped.value = []
})
</script>

<template>
  <v-app @dragenter="onDrag($event, 1)" @dragover.prevent @dragleave="onDrag($event, -1)" @drop="onDrop">
    <template v-if="who.data.value">
      <TopBand
        :who="who.data.value"
        @hand-in="handIn = true"
        @theme="turnTheme"
        @sign-out="signOut"
        @keys="keysOpen = !keysOpen"
      />
      <HouseKeys v-model="keysOpen" :who="who.data.value" @hand-in="handIn = true" @theme="turnTheme" />
      <HandInPanel v-model="handIn" :who="who.data.value" :dropped="dropped" />
      <v-main><router-view /></v-main>
      <div v-if="over" class="hatch">Drop to hand in</div>
    </template>
    <SignIn v-else-if="who.isFetched.value" @signed-in="who.refetch()" />
    <NoticeList />
  </v-app>
</template>

<style scoped>
.hatch {
  position: fixed;
  inset: 12px;
  z-index: 3000;
  display: grid;
  place-items: center;
  font-family: var(--font-head);
  font-size: 2rem;
  border: 3px dashed var(--accent);
  border-radius: 6px;
  background: color-mix(in srgb, var(--paper) 88%, transparent);
  pointer-events: none;
}
</style>
