import { ListColumns } from './columns'
import { grouped, sorted, sums } from './order'

const list = new ListColumns()
list.load({
  seq: 1,
  ids: [1, 2, 3, 4, 5],
  racks: [1, 1, 1, 1, 1],
  columns: {
    tag: ['PT-10', 'PT-9', 'pt-9a', 'TE-1', 'PT-100'],
    low: ['-5', '3', '', '−12.5', '0.5'],
    area: ['kiln 10', 'kiln 2', '', 'kiln 2', 'kiln 10'],
  },
})
const ALL = [0, 1, 2, 3, 4]
const by = (field: string, down = false) => sorted(list, ALL, [{ field, down }])

test('tags come in the order people count, figures by their size, empty cells last either way', () => {
  expect(by('tag').map((row) => list.text('tag', row))).toEqual(['PT-9', 'pt-9a', 'PT-10', 'PT-100', 'TE-1'])
  expect(by('low').map((row) => list.text('low', row))).toEqual(['−12.5', '-5', '0.5', '3', ''])
  expect(by('low', true).map((row) => list.text('low', row))).toEqual(['3', '0.5', '-5', '−12.5', ''])
})

test('a second column orders what the first leaves equal', () => {
  const rows = sorted(list, ALL, [
    { field: 'area', down: false },
    { field: 'tag', down: true },
  ])
  expect(rows).toEqual([3, 1, 4, 0, 2])
})

test('groups come in order with their heads, and closed ones show the head alone', () => {
  const { shown, groups } = grouped(list, ALL, 'area', new Set(['kiln 2']))
  expect(groups.map((g) => [g.text, g.count, g.closed])).toEqual([
    ['kiln 2', 2, true],
    ['kiln 10', 2, false],
    ['', 1, false],
  ])
  expect(shown).toEqual([-1, -2, 0, 4, -3, 2])
})

test('sums are of figures alone, and tenths add up without noise', () => {
  expect(sums(['0.1', '0.2', '', 'open', '−1'])).toEqual({
    cells: 5, filled: 4, figures: 3, sum: -0.7, least: -1, most: 0.2, mean: -0.23333333,
  }) // prettier-ignore
})
