import { ListColumns } from './columns'
import { mentions } from './rename'

const list = new ListColumns()
list.load({
  seq: 1,
  ids: [1, 2, 3],
  racks: [0, 0, 0],
  columns: {
    tag: ['PT-31', 'PT-310', 'ZS-1'],
    trips: ['', 'burner 2, with PT-31', 'pt-31 and PT-310'],
    notes: ['PT-310 stands beside it', '', ''],
  },
})

test('a rename touches every text that names the tag as a whole word, in any case', () => {
  expect(
    mentions(list, { was: 'PT-31', text: 'PT-99' }).map(({ row, field, text }) => [row, field, text]),
  ).toEqual([
    [1, 'trips', 'burner 2, with PT-99'],
    [2, 'trips', 'PT-99 and PT-310'],
  ])
  expect(mentions(list, { was: 'FT-1', text: 'FT-2' })).toEqual([])
  expect(mentions(list, { was: 'PT-310', text: '$&' }).map((one) => one.text)).toContain('pt-31 and $&')
})

test('what was typed a moment ago is looked through as well, and what was refused is not', () => {
  const typed = (state: string) => new Map([['3:notes', { state, text: 'behind FT-1' }]])
  const asked = { was: 'FT-1', text: 'FT-2' }
  for (const state of ['saving', 'held'])
    expect(mentions(list, asked, typed(state))).toEqual([
      { row: 2, field: 'notes', was: 'behind FT-1', text: 'behind FT-2' },
    ])
  expect(mentions(list, asked, typed('refused'))).toEqual([])
  const gone = new Map([['2:trips', { state: 'saving', text: '' }]])
  expect(mentions(list, { was: 'PT-31', text: 'PT-9' }, gone).map(({ row }) => row)).toEqual([2])
})
