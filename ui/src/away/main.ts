import 'vuetify/styles/core'
import '../theme/library.css'
import '../theme/base.css'
import './away.css'
import { createApp } from 'vue'
import { startsDark } from '../theme/useDark'
import { vuetifyOf } from '../theme/vuetify'
import AwayApp from './AwayApp.vue'
import type { Package } from './model'

const taken = JSON.parse(document.getElementById('package')!.textContent!) as Package
document.title = `${taken.package} · ${taken.plant}`
createApp(AwayApp, { taken }).use(vuetifyOf(startsDark())).mount('#away')
