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

test('an address keeps what tells it from the others: its end', () => {
  const { fitting } = tens()
  expect(fitting.cut('KC-2·1·3·12', 80, 'end')).toBe('…·1·3·12')
  expect(fitting.cut('KC-2·1·3·12', 80)).toBe('KC-2·1·…')
  expect(fitting.cut('KC-2·1·3·12', 110, 'end')).toBe('KC-2·1·3·12')
  expect(fitting.cut('ab😀cd', 40, 'end')).toBe('…cd')
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

test('in a font of one width a text is as long as its letters are many, and not measured', () => {
  const { fitting, asked } = tens()
  const before = asked.length
  expect(fitting.width('12 345.6')).toBe(80)
  expect(asked.length).toBe(before)
  expect(fitting.width('−10 °C'), 'a sign that the font may not have is').toBe(60)
  expect(asked.length).toBe(before + 1)
})

test('a short text in a wide cell is not measured in any font', () => {
  const asked: string[] = []
  const wide = (letter: string) => (letter === 'i' ? 3 : 12)
  const fitting = new Fitting({
    font: '',
    measureText: (text: string) => (
      asked.push(text),
      { width: [...text].reduce((sum, letter) => sum + wide(letter), 0) }
    ),
  })
  fitting.use('12px x')
  asked.length = 0
  expect(fitting.cut('mill', 48)).toBe('mill')
  expect(asked).toEqual([])
  expect(fitting.cut('mills', 48)).toBe('mil…')
  expect(fitting.width('mil')).toBe(27)
})
