import { expect, test } from 'vitest'
import { Fitting } from './fitting'

/** A canvas on which every character is ten wide. */
function tens() {
  const asked: string[] = []
  const on = {
    font: '',
    measureText: (text: string) => (asked.push(text), { width: 10 * text.length }),
  }
  const fitting = new Fitting(on)
  fitting.use('12px x')
  return { fitting, asked, on }
}

test('a text that fits stands whole, another as much of it as fits with a sign', () => {
  const { fitting } = tens()
  expect(fitting.cut('mbar', 40)).toBe('mbar')
  expect(fitting.cut('burner gas', 60)).toBe('burne…')
  expect(fitting.cut('burner', 5)).toBe('')
  expect(fitting.cut('burner', 0)).toBe('')
})

test('what was measured is not measured again', () => {
  const { fitting, asked } = tens()
  fitting.cut('burner gas header pressure', 60)
  const once = asked.length
  fitting.cut('burner gas header pressure', 60)
  expect(asked.length).toBe(once)
  fitting.use('600 12px x')
  fitting.cut('burner gas header pressure', 60)
  expect(asked.length).toBeGreaterThan(once)
})

test('a sign of two halves is cut before it, not within', () => {
  const { fitting } = tens()
  expect(fitting.cut('ab😀cd', 40)).toBe('ab…')
})

test('a canvas made anew is told its font again', () => {
  const { fitting, on } = tens()
  on.font = 'what a new canvas has'
  fitting.forget()
  expect(on.font).toBe('12px x')
})
