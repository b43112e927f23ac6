<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useDropZone, useLocalStorage } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useTheme } from 'vuetify'
import { api, forgetAnswers, take, type Actor } from './api/client'
import { useWho } from './api/queries'
import HandInPanel from './components/HandInPanel.vue'
import HouseKeys from './components/HouseKeys.vue'
import LeaveDialog from './components/LeaveDialog.vue'
import RestoredBand from './components/RestoredBand.vue'
import NoticeList from './components/NoticeList.vue'
import ServerAway from './components/ServerAway.vue'
import SignIn from './components/SignIn.vue'
import TopBand from './components/TopBand.vue'
import { provideFormats } from './composables/format'
import { say } from './composables/notices'
import { usePanel } from './composables/panels'
import { sayFound, sayLost, signedOut } from './composables/session'
import { mayLeave, useUnsavedTab } from './composables/unsaved'

const asked = useWho()
const queries = useQueryClient()
const theme = useTheme()
const stored = useLocalStorage('theme', '', { writeDefaults: false })

// Who sits here stays who they are when the server has forgotten them: the page is kept, with what
// was being written, and the sign-in form comes over it.
const who = ref<Actor>()
function seat(found: Actor | null | undefined) {
  if (found) {
    if (who.value && who.value.id !== found.id) forget() // somebody else: nothing of the one before is shown
    who.value = found
    sayFound()
  } else if (found === null && who.value) sayLost()
}
watch(asked.data, seat, { immediate: true })
provideFormats(() => !!who.value)
const again = computed(() => !!who.value && signedOut.value)
usePanel(again)
useUnsavedTab()

function forget() {
  forgetAnswers()
  queries.removeQueries({ predicate: (q) => q.queryKey[0] !== 'who' })
}
async function signedIn() {
  await asked.refetch()
  seat(asked.data.value) // the same as before is no change
  if (asked.data.value) await queries.invalidateQueries()
}
async function signOut() {
  if (!(await mayLeave())) return
  try {
    await take(api.DELETE('/session'))
  } catch (e) {
    return say(`You are still signed in. ${(e as Error).message}`, 'refused')
  }
  who.value = undefined
  forget()
  await asked.refetch()
}

const handIn = ref(false)
const dropped = ref<File[]>([])
const keysOpen = ref(false)
function turnTheme() {
  stored.value = theme.global.name.value === 'paper' ? 'lamp' : 'paper'
  theme.change(stored.value)
}

// A file dropped anywhere opens the counter's hatch with it.
const { isOverDropZone } = useDropZone(document, {
  multiple: true,
  onDrop: (files) => {
    if (!who.value || !files?.length) return
    dropped.value = files
    handIn.value = true
  },
})
watch(handIn, (open) => {
  if (!open) dropped.value = []
})
</script>

<template>
  <v-app>
    <template v-if="who">
      <TopBand
        :who="who"
        @hand-in="handIn = true"
        @theme="turnTheme"
        @sign-out="signOut"
        @keys="keysOpen = !keysOpen"
      />
      <HouseKeys v-model="keysOpen" :who="who" @hand-in="handIn = true" @theme="turnTheme" />
      <HandInPanel :key="`hand-in-${who.id}`" v-model="handIn" :who="who" :dropped="dropped" />
      <v-main><RestoredBand v-if="who.role !== 'member'" /><router-view :key="`of-${who.id}`" /></v-main>
      <div v-if="isOverDropZone" class="hatch">Drop to hand in</div>
      <v-dialog :model-value="again" persistent width="380" aria-label="Sign in again">
        <SignIn again @signed-in="signedIn" />
      </v-dialog>
    </template>
    <v-main v-else-if="asked.isFetched.value && !asked.isError.value" class="door"
      ><SignIn @signed-in="signedIn"
    /></v-main>
    <ServerAway v-else-if="asked.isError.value" @again="asked.refetch()" />
    <LeaveDialog />
    <NoticeList />
  </v-app>
</template>

<style scoped>
.door :deep(.card) {
  margin: max(6vh, 20px) auto 0;
}
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
