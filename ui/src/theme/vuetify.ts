/** The component library, with our theme, icons and defaults. */
import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'
import { defaults } from './defaults'
import { themes } from './tokens'

export const vuetifyOf = (dark: boolean) =>
  createVuetify({
    theme: { defaultTheme: dark ? 'dark' : 'light', themes: themes() },
    icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
    defaults,
  })
