import { expect, test } from 'vitest'
import { chooseFiguresWhole } from './wholeFigures'

chooseFiguresWhole()

function field(made: { className?: string; value: string }) {
  const input = document.createElement('input')
  input.className = made.className ?? ''
  input.value = made.value
  document.body.append(input)
  return input
}
const chosen = (at: HTMLInputElement) => [at.selectionStart, at.selectionEnd]
const up = (at: HTMLElement) => {
  const event = new MouseEvent('mouseup', { cancelable: true, bubbles: true })
  at.dispatchEvent(event)
  return event.defaultPrevented
}

test('a figure is chosen whole when its field gets the focus, and the click that brought it leaves it so', () => {
  const figure = field({ className: 'setting figure', value: '6.00' })
  figure.focus()
  expect(chosen(figure)).toEqual([0, 4])
  expect(up(figure)).toBe(true)
  expect(up(figure)).toBe(false) // a second click puts the caret where it is wanted
})

test('a text is not, and a key pressed meanwhile ends it', () => {
  const text = field({ value: 'burner gas' })
  text.setSelectionRange(3, 3)
  text.focus()
  expect(chosen(text)).toEqual([3, 3])
  const figure = field({ className: 'figure', value: '6.00' })
  figure.focus()
  figure.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight', bubbles: true }))
  expect(up(figure)).toBe(false)
})
