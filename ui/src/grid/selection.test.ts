import { at, blockOf, holds, moved, tabbed } from './selection'

const extent = { rows: 50, cols: 10, page: 20 }

test('arrows move by one and stop at the edges', () => {
  expect(moved(at(0, 0), 'ArrowDown', extent)).toEqual(at(1, 0))
  expect(moved(at(0, 0), 'ArrowUp', extent)).toEqual(at(0, 0))
  expect(moved(at(49, 9), 'ArrowRight', extent)).toEqual(at(49, 9))
})

test('control goes to the end, page keys by a page, home and end along the row', () => {
  expect(moved(at(7, 3), 'ArrowDown', extent, { far: true })).toEqual(at(49, 3))
  expect(moved(at(7, 3), 'PageDown', extent)).toEqual(at(27, 3))
  expect(moved(at(7, 3), 'Home', extent)).toEqual(at(7, 0))
  expect(moved(at(7, 3), 'End', extent, { far: true })).toEqual(at(49, 9))
})

test('shift keeps the anchor, across the frozen column as anywhere', () => {
  const grown = moved(moved(at(5, 2), 'ArrowLeft', extent, { extend: true })!, 'Home', extent, {
    extend: true,
  })!
  expect(blockOf(grown)).toEqual({ top: 5, bottom: 5, left: 0, right: 2 })
  expect(holds(blockOf(grown), 5, 1)).toBe(true)
  expect(holds(blockOf(grown), 6, 1)).toBe(false)
})

test('other keys are none of its business', () => {
  expect(moved(at(0, 0), 'a', extent)).toBeUndefined()
})

test('tab goes right, on to the next row, and stops at the last cell', () => {
  expect(tabbed(at(3, 9), extent, false)).toEqual(at(4, 0))
  expect(tabbed(at(4, 0), extent, true)).toEqual(at(3, 9))
  expect(tabbed(at(49, 9), extent, false)).toBeUndefined()
})
