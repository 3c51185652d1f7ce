import '@fontsource/ibm-plex-sans/400.css'
import '@fontsource/ibm-plex-sans/600.css'
import '@fontsource/ibm-plex-mono/400.css'
import '@fontsource/ibm-plex-mono/600.css'
import 'vuetify/styles'
import './theme/base.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'
import App from './App.vue'
import { router } from './router'
import { themes } from './theme/tokens'
import { chooseFiguresWhole } from './plant/wholeFigures'

const asked = localStorage.getItem('canaleta-theme')
const dark = asked ? asked === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches

const vuetify = createVuetify({
  theme: { defaultTheme: dark ? 'dark' : 'light', themes: themes() },
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  defaults: {
    VTextField: { variant: 'outlined', density: 'compact', color: 'primary', hideDetails: 'auto' },
    VTooltip: { openDelay: 400 },
  },
})

chooseFiguresWhole()
createApp(App).use(createPinia()).use(router).use(vuetify).mount('#app')
