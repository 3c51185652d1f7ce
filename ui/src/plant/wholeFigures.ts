/**
 * A field of a figure is chosen whole when it gets the focus, so that what is typed takes the place of what stood there:
 * every number field, and every text field in the figures' type. A cell that is edited is not: it has its own ways.
 */

const isFigure = (at: EventTarget | null): at is HTMLInputElement =>
  at instanceof HTMLInputElement && (at.type === 'number' || at.classList.contains('figure'))

export function chooseFiguresWhole() {
  let fresh: EventTarget | null = null
  addEventListener('focusin', (event) => {
    fresh = isFigure(event.target) ? event.target : null
    if (isFigure(event.target)) event.target.select()
  })
  // The click that brought the focus would undo the choice when the button comes up.
  addEventListener('mouseup', (event) => {
    if (fresh && event.target === fresh) event.preventDefault()
    fresh = null
  })
  addEventListener('keydown', () => (fresh = null), true)
}
