import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'

const shared = {
  primary: '#1E7B74',
  secondary: '#5A6472',
  warning: '#D99A2B',
  error: '#B0413E',
  success: '#1E7B74',
  info: '#332288',
}

/** The house's two themes: paper and ink, and the same by lamplight. */
export function makeVuetify() {
  const stored = localStorage.getItem('theme')
  const dark = matchMedia?.('(prefers-color-scheme: dark)').matches
  return createVuetify({
    icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
    theme: {
      defaultTheme: stored === 'paper' || stored === 'lamp' ? stored : dark ? 'lamp' : 'paper',
      themes: {
        paper: {
          dark: false,
          colors: {
            ...shared,
            background: '#F6F3EC',
            surface: '#FFFDF8',
            'on-background': '#1F2A37',
            'on-surface': '#1F2A37',
          },
        },
        lamp: {
          dark: true,
          colors: {
            ...shared,
            primary: '#5FB8AF',
            success: '#5FB8AF',
            error: '#E58380',
            info: '#A9A3E0',
            background: '#171D25',
            surface: '#202833',
            'on-background': '#ECE6D9',
            'on-surface': '#ECE6D9',
            'on-primary': '#10161D',
          },
        },
      },
    },
    defaults: {
      VBtn: { variant: 'outlined', density: 'comfortable', rounded: 'sm' },
      VTextField: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
      VTextarea: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
      VSelect: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
      VAutocomplete: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
      VCheckbox: { density: 'compact', hideDetails: true },
    },
  })
}
