/**
 * The library's select gives the frame around its input the role of a combobox as well, and no name: a reader would say
 * "combobox" and nothing more. It gets the name of the input.
 */
import { onMounted, watch, type ComponentPublicInstance, type Ref } from 'vue'

export function useNamed(field: Ref<ComponentPublicInstance | null>, label: () => string | undefined): void {
  const name = () => {
    const root = field.value?.$el as HTMLElement | undefined
    const words = label() ?? root?.closest('label')?.firstChild?.textContent?.trim()
    if (words) root?.querySelector('.v-field[role]')?.setAttribute('aria-label', words)
  }
  onMounted(name)
  watch(label, name)
}
