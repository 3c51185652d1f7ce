/** A component of the library or of ours that a page wants to put the focus on. */
import type { ComponentPublicInstance } from 'vue'

export type Focusable = ComponentPublicInstance | HTMLElement | { focus: () => void }

/** Put the focus on what a template reference holds: its own way, or its element. */
export function focusOn(on: Focusable | null | undefined): void {
  if (!on) return
  if ('focus' in on && typeof on.focus === 'function') on.focus()
  else if ('$el' in on) (on.$el as HTMLElement).focus()
}

/** What the dense field lets a page do with it. */
export interface FieldHandle {
  focus: () => void
  select: () => void
  /** Whether the hand is in it. */
  focused: () => boolean
}
