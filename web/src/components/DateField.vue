<script setup lang="ts">
import { computed } from 'vue'
import { en } from 'vuetify/locale'
import { useLocaleTag } from '../composables/format'

defineOptions({ inheritAttrs: false })
/** A day, YYYY-MM-DD or nothing, typed or picked as the house writes days. */
const day = defineModel<string>({ required: true })
const tag = useLocaleTag()
// The calendar's months and first day are the house's; its few words stay the app's.
const messages = computed(() => ({ [tag.value]: en }))
// Vuetify writes these on a box that is no control, where they are not allowed (ARIA in HTML).
const bare = {
  'aria-haspopup': undefined,
  'aria-expanded': undefined,
  'aria-controls': undefined,
  'aria-owns': undefined,
}
const iso = (d: Date) =>
  [d.getFullYear(), d.getMonth() + 1, d.getDate()].map((n) => String(n).padStart(2, '0')).join('-')
const date = computed({
  get: () => (day.value ? new Date(`${day.value}T00:00:00`) : null),
  set: (d) => (day.value = d ? iso(d) : ''),
})
</script>

<template>
  <v-locale-provider :locale="tag" :messages="messages">
    <v-date-input
      v-model="date"
      v-bind="$attrs"
      :menu-props="{ activatorProps: bare }"
      prepend-icon=""
      persistent-placeholder
      hide-details="auto"
      density="compact"
      variant="outlined"
    />
  </v-locale-provider>
</template>
