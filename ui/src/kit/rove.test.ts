import { afterEach, expect, test } from 'vitest'
import { rove } from './rove'

afterEach(() => (document.body.innerHTML = ''))

/** Five cards of three in a row. */
function cards() {
  const box = document.createElement('div')
  document.body.append(box)
  const all = Array.from({ length: 5 }, (_, k) => {
    const card = document.createElement('button')
    card.className = 'card'
    card.textContent = String(k)
    card.getBoundingClientRect = () => ({ top: 100 * Math.floor(k / 3), left: 80 * (k % 3) }) as DOMRect
    box.append(card)
    return card
  })
  box.addEventListener('keydown', (event) => rove(event, '.card'))
  return (from: number, key: string, more: object = {}) => {
    all[from]!.focus()
    all[from]!.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more }))
    return document.activeElement?.textContent
  }
}

test('the arrows go along the row and to the next, up and down to the one beside', () => {
  const press = cards()
  expect(press(2, 'ArrowRight')).toBe('3')
  expect(press(3, 'ArrowLeft')).toBe('2')
  expect(press(1, 'ArrowDown')).toBe('4')
  expect(press(4, 'ArrowUp')).toBe('1')
  expect(press(2, 'ArrowDown'), 'the last row is shorter').toBe('4')
  expect([press(3, 'Home'), press(0, 'End')]).toEqual(['0', '4'])
})

test('at an end the hand stays, and keys with Ctrl or Alt are somebody else’s', () => {
  const press = cards()
  expect(press(0, 'ArrowLeft')).toBe('0')
  expect(press(4, 'ArrowDown')).toBe('4')
  expect(press(1, 'ArrowRight', { altKey: true })).toBe('1')
})
