import * as whole from 'vuetify'
import type * as all from 'vuetify/components'

// In tests Vuetify is its one file (vitest.config.ts), which has the components beside the rest: read in a second, where a
// file for each of them takes ten.
export const components = (whole as unknown as { components: typeof all }).components
export { createVuetify } from 'vuetify'
