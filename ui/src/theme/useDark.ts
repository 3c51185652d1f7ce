/** Light or dark, as the browser wants it until somebody chooses; his choice is kept here. */
import { computed } from 'vue'
import { useTheme } from 'vuetify'

const KEPT = 'canaleta-theme'

/** Whether this browser shows dark colours at first. */
export function startsDark(): boolean {
  const chosen = localStorage.getItem(KEPT)
  return chosen ? chosen === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches
}

export function useDark() {
  const theme = useTheme()
  const dark = computed(() => theme.global.name.value === 'dark')
  function turn() {
    const next = dark.value ? 'light' : 'dark'
    theme.change(next)
    localStorage.setItem(KEPT, next)
  }
  return { dark, turn }
}
