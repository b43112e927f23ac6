import '@fontsource-variable/atkinson-hyperlegible-mono'
import '@fontsource-variable/atkinson-hyperlegible-next'
import '@fontsource-variable/bricolage-grotesque'
import 'vuetify/styles'
import './looks.css'
import { VueQueryPlugin, QueryClient } from '@tanstack/vue-query'
import { createApp } from 'vue'
import App from './App.vue'
import { makeRouter } from './router'
import { makeVuetify } from './looks'

const queries = new QueryClient({
  // Events tell what changed; until then what was loaded holds.
  defaultOptions: { queries: { staleTime: 60_000, refetchOnWindowFocus: false, retry: 1 } },
})

createApp(App).use(makeVuetify()).use(makeRouter()).use(VueQueryPlugin, { queryClient: queries }).mount('#app')
