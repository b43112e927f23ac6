<script setup lang="ts">
import { mdiKeyboardOutline, mdiLogout, mdiThemeLightDark } from '@mdi/js'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { Actor } from '../api/client'
import { useHouse } from '../api/queries'
import { notLive } from '../composables/events'
import { usePanel } from '../composables/panels'
import { roomsOf } from '../router'
import PasswordForm from './PasswordForm.vue'

const props = defineProps<{ who: Actor }>()
const emit = defineEmits<{ handIn: []; theme: []; signOut: []; keys: [] }>()

const ownOpen = ref(false)
usePanel(ownOpen)
const house = useHouse()
const route = useRoute()
const mine = computed(() => roomsOf(props.who.role))
</script>

<template>
  <v-app-bar flat height="54" class="bar" tag="header"
    ><div class="band">
      <div class="sign">
        <strong>Job Shelf</strong>
        <span class="quiet small">{{ house.data.value?.house.name }}</span>
      </div>
      <nav aria-label="Rooms">
        <router-link
          v-for="r in mine"
          :key="r.path"
          :to="r.path"
          :class="['room', { here: route.path.startsWith(r.path) }]"
          :aria-current="route.path.startsWith(r.path) ? 'page' : undefined"
          >{{ r.name }}<kbd>{{ r.key }}</kbd></router-link
        >
      </nav>
      <div class="right">
        <span class="off small" role="status">{{ notLive }}</span>
        <v-btn id="hand-in" color="primary" variant="flat" @click="emit('handIn')"
          >Hand in <kbd class="on">H</kbd></v-btn
        >
        <v-btn
          :icon="mdiKeyboardOutline"
          variant="text"
          size="small"
          aria-label="Show the keys"
          class="desk-only"
          @click="emit('keys')"
        />
        <v-btn
          :icon="mdiThemeLightDark"
          variant="text"
          size="small"
          aria-label="Light or dark"
          class="desk-only"
          @click="emit('theme')"
        />
        <v-menu v-model="ownOpen" :close-on-content-click="false" location="bottom end">
          <template #activator="{ props: at }">
            <button
              v-bind="at"
              id="own"
              type="button"
              class="small person"
              :aria-label="`${who.name}, ${who.role}: change your password`"
            >
              {{ who.name }}<br /><span class="quiet">{{ who.role }}</span>
            </button>
          </template>
          <PasswordForm @done="ownOpen = false" />
        </v-menu>
        <v-btn :icon="mdiLogout" variant="text" size="small" aria-label="Sign out" @click="emit('signOut')" />
      </div></div
  ></v-app-bar>
</template>

<style scoped>
.bar {
  border-bottom: 2px solid var(--ink) !important;
}
.band {
  display: flex;
  align-items: stretch;
  gap: 28px;
  min-height: 52px;
  padding: 0 18px;
  width: 100%;
  height: 100%;
}
.sign {
  flex: none;
  white-space: nowrap;
  display: flex;
  flex-direction: column;
  justify-content: center;
  line-height: 1.15;
}
.sign strong {
  font-family: var(--font-head);
  font-size: 1.2rem;
  letter-spacing: -0.02em;
}
nav {
  display: flex;
  gap: 2px;
  align-items: stretch;
}
.room {
  display: flex;
  align-items: center;
  gap: 7px;
  padding: 0 13px;
  color: var(--ink);
  text-decoration: none;
  font-family: var(--font-head);
  font-weight: 560;
  border-bottom: 4px solid transparent;
  border-top: 4px solid transparent;
}
.room:hover {
  background: var(--faint);
}
.room.here {
  border-bottom-color: var(--accent);
}
.right {
  margin-left: auto;
  display: flex;
  align-items: center;
  gap: 6px;
}
.person {
  flex: none;
  white-space: nowrap;
  line-height: 1.15;
  margin-left: 8px;
  text-align: left;
  padding: 3px 8px;
  border-radius: 3px;
}
.person:hover {
  background: var(--faint);
}
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 8px;
}
.off {
  color: var(--stop);
  font-weight: 600;
}
@media (max-width: 1100px) {
  .band {
    gap: 12px;
  }
  .room {
    padding: 0 9px;
  }
}
@media (max-width: 760px) {
  .sign,
  .right > .desk-only {
    display: none;
  }
  .band {
    gap: 4px;
    padding: 0 6px;
  }
  nav {
    overflow-x: auto;
    min-width: 0;
    flex: 1;
  }
  .room {
    padding: 0 7px;
  }
  .right {
    gap: 0;
  }
  .person {
    max-width: 62px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    margin-left: 0;
    padding: 3px 4px;
  }
}
</style>
