/**
 * Who hears Esc: a field first, then the small window that opened last, then the page.
 *
 *     useEscape(() => open.value, () => (open.value = false), box)   // a small window and its element
 *     useEscape(() => true, back)                                    // a page: hears it when no window is open
 *
 * Esc in a field puts back what stood there and leaves it, a find field is emptied; in a field of a small window it
 * closes the window.
 */
import { onMounted, onUnmounted, watch, type Ref } from 'vue'

interface Hearer {
  /** False: there was nothing to do, the one below hears it. */
  close: () => unknown
  box?: Ref<HTMLElement | null> | undefined
}

const hearers: Hearer[] = []
/** What stood in the field that has the focus when it got it. */
let stood: { field: Element; text: string } | null = null
let listening = false

const isField = (at: EventTarget | null): at is HTMLInputElement =>
  at instanceof HTMLElement && ['INPUT', 'TEXTAREA', 'SELECT'].includes(at.tagName)

function leave(field: HTMLInputElement) {
  const before = field.type === 'search' ? '' : stood?.field === field ? stood.text : field.value
  if (field.value !== before && field.type !== 'checkbox') {
    field.value = before
    field.dispatchEvent(new Event('input', { bubbles: true }))
  }
  field.blur()
}

function key(event: KeyboardEvent) {
  if (event.key !== 'Escape' || event.defaultPrevented) return
  const latest = [...hearers].reverse()
  if (isField(event.target)) {
    const field = event.target
    const around = latest.find((h) => h.box?.value?.contains(field))
    event.preventDefault()
    return around ? void around.close() : leave(field)
  }
  for (const hearer of latest)
    if (hearer.close() !== false) {
      event.preventDefault()
      return
    }
}

function listen() {
  if (listening) return
  listening = true
  addEventListener('keydown', key)
  addEventListener('focusin', (event) => {
    stood = isField(event.target) ? { field: event.target, text: event.target.value } : null
  })
}

/** Hear Esc while something is open, before everything that opened earlier. */
export function useEscape(open: () => unknown, close: () => unknown, box?: Ref<HTMLElement | null>) {
  const hearer: Hearer = { close, box }
  const forget = () => {
    const at = hearers.indexOf(hearer)
    if (at >= 0) hearers.splice(at, 1)
  }
  const follow = (is: boolean) => {
    forget()
    if (is) hearers.push(hearer)
  }
  onMounted(() => {
    listen()
    follow(!!open())
  })
  watch(() => !!open(), follow)
  onUnmounted(forget)
}
