import { expect, test } from 'vitest'
import { cellAt, columnsIn, cornerOf, edges, rowsIn, scrolledTo, topOf } from './sight'

const cells = { rowHeight: 25, rows: 100, widths: [80, 50, 60, 70] }
const lefts = edges(cells.widths)
const sight = { top: 0, left: 0, width: 200, height: 100 }

test('a sight of four rows shows four, and five when it stands between two', () => {
  expect(rowsIn(sight, cells)).toEqual({ first: 0, last: 3 })
  expect(rowsIn({ ...sight, top: 10 }, cells)).toEqual({ first: 0, last: 4 })
  expect(rowsIn({ ...sight, top: 2450 }, cells)).toEqual({ first: 98, last: 99 })
  expect(rowsIn(sight, { ...cells, rows: 0 }).last).toBe(-1)
})

test('columns under the frozen one are not in sight', () => {
  expect(columnsIn(sight, lefts)).toEqual([1, 2, 3])
  expect(columnsIn({ ...sight, left: 50 }, lefts)).toEqual([2, 3])
  expect(columnsIn({ ...sight, width: 130 }, lefts)).toEqual([1])
})

test('a place is the cell drawn there, whatever is scrolled under the frozen column', () => {
  expect(cellAt(10, 30, sight, cells, lefts)).toEqual({ row: 1, col: 0 })
  expect(cellAt(81, 0, sight, cells, lefts)).toEqual({ row: 0, col: 1 })
  expect(cellAt(10, 30, { ...sight, left: 90 }, cells, lefts)).toEqual({ row: 1, col: 0 })
  expect(cellAt(100, 0, { ...sight, left: 90 }, cells, lefts)).toEqual({ row: 0, col: 3 })
  expect(cellAt(10, -1, sight, cells, lefts)).toBeUndefined()
  expect(cellAt(10, 2501, sight, cells, lefts)).toBeUndefined()
  expect(cellAt(261, 0, sight, cells, lefts)).toBeUndefined()
})

test('what is brought into sight is whole, beside the frozen column, and nothing moves without need', () => {
  expect(scrolledTo(2, 1, sight, cells, lefts)).toEqual({ top: 0, left: 0 })
  expect(scrolledTo(4, 1, sight, cells, lefts)).toEqual({ top: 25, left: 0 })
  expect(scrolledTo(0, 3, sight, cells, lefts)).toEqual({ top: 0, left: 60 })
  expect(scrolledTo(1, 1, { ...sight, top: 100, left: 60 }, cells, lefts)).toEqual({ top: 25, left: 0 })
  expect(scrolledTo(1, 0, { ...sight, left: 60 }, cells, lefts).left).toBe(60)
})

test('the corner of a block is where its last cell ends, and nowhere under the frozen column', () => {
  expect(cornerOf({ bottom: 1, right: 2 }, sight, cells, lefts)).toEqual({ x: 190, y: 50 })
  expect(cornerOf({ bottom: 1, right: 0 }, { ...sight, left: 90 }, cells, lefts)).toEqual({ x: 80, y: 50 })
  expect(cornerOf({ bottom: 1, right: 1 }, { ...sight, left: 60 }, cells, lefts)).toBeUndefined()
})

test('frozen rows stay at the top, and what is scrolled goes under them', () => {
  const two = { ...cells, frozen: 2 }
  const down = { ...sight, top: 500 }
  expect(rowsIn(down, two), 'rows 20 and 21 lie under the frozen ones').toEqual({ first: 22, last: 23 })
  expect([0, 1, 22].map((row) => topOf(row, down, two))).toEqual([0, 25, 50])
  expect(cellAt(10, 30, down, two, lefts)).toEqual({ row: 1, col: 0 })
  expect(cellAt(10, 51, down, two, lefts)).toEqual({ row: 22, col: 0 })
  expect(scrolledTo(1, 1, down, two, lefts).top, 'in sight already').toBe(500)
  expect(scrolledTo(21, 1, down, two, lefts).top, 'under them: one row up').toBe(475)
  expect(scrolledTo(24, 1, down, two, lefts).top).toBe(525)
  expect(cornerOf({ bottom: 1, right: 2 }, down, two, lefts)).toEqual({ x: 190, y: 50 })
  expect(cornerOf({ bottom: 21, right: 2 }, down, two, lefts)).toBeUndefined()
})
