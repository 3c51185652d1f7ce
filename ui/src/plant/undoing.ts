import { useEventListener } from '@vueuse/core'
import { isTyping } from '../kit/typing'
import { usePlant } from './store'

/** Ctrl+Z and Ctrl+Y on a page that has no list of its own to hear them. after: what is looked at again then. */
export function useUndo(after: () => unknown) {
  const plant = usePlant()
  useEventListener('keydown', (event: KeyboardEvent) => void turned(event))
  async function turned(event: KeyboardEvent) {
    if (isTyping(event.target) || !(event.ctrlKey || event.metaKey)) return
    const letter = event.key.toLowerCase()
    if (letter !== 'z' && letter !== 'y') return
    event.preventDefault()
    await plant.turnBack(letter === 'y' || event.shiftKey ? 'redo' : 'undo')
    await after()
  }
}
