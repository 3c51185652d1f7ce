import '@fontsource/ibm-plex-sans/400.css'
import '@fontsource/ibm-plex-sans/600.css'
import '@fontsource/ibm-plex-mono/400.css'
import '@fontsource/ibm-plex-mono/600.css'
import 'vuetify/styles/core'
import 'vuetify/styles/utilities'
import './theme/library.css'
import './theme/base.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { router } from './router'
import { tip } from './kit/tip'
import { vuetifyOf } from './theme/vuetify'
import { chooseFiguresWhole } from './plant/wholeFigures'
import { startsDark } from './theme/useDark'

chooseFiguresWhole()
createApp(App).use(createPinia()).use(router).use(vuetifyOf(startsDark())).directive('tip', tip).mount('#app')
