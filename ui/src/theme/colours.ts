/** The colours of the theme that is on, for what is drawn on a canvas. */
import { computed } from 'vue'
import { useTheme } from 'vuetify'
import type { light } from './tokens'

export type Colour = keyof typeof light

export function useColours() {
  const theme = useTheme()
  return computed(() => theme.current.value.colors as unknown as Record<Colour, string>)
}

/** A colour that lets through what is under it. */
export const faint = (hex: string, opacity: number) =>
  hex + Math.round(opacity * 255).toString(16).padStart(2, '0') // prettier-ignore
