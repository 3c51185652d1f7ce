import { expect, test } from 'vitest'
import { ListColumns } from './columns'
import { asks, letsThrough, none, read, saysOf, turned, valuesOf, written } from './filters'

const list = new ListColumns()
list.load({
  seq: 1,
  ids: [1, 2, 3, 4, 5],
  racks: [1, 1, 1, 1, 1],
  columns: {
    signal: ['4–20 mA', '4–20 mA', 'TC K', '', 'TC K'],
    high: ['10', '−5', '1000', '', '2,5'],
    tag: ['PT-10', 'PT-9', 'TE-1', 'X', 'TE-2'],
  },
})
const rows = (...filters: Parameters<typeof letsThrough>[1]) =>
  [...list.rows()].filter(letsThrough(list, filters))

test('texts come with how often they stand there, in the order people expect, the empty one last', () => {
  expect(valuesOf(list, 'signal', list.rows())).toEqual([
    { text: '4–20 mA', count: 2 },
    { text: 'TC K', count: 2 },
    { text: '', count: 1 },
  ])
  expect(valuesOf(list, 'high', list.rows()).map((v) => v.text)).toEqual(['−5', '2,5', '10', '1000', ''])
  expect(valuesOf(list, 'tag', [0, 1]).map((v) => v.text)).toEqual(['PT-9', 'PT-10'])
})

test('only some texts, all but some, and both together with another column', () => {
  const current = { ...none('signal'), only: ['4–20 mA'] }
  expect(rows(current)).toEqual([0, 1])
  expect(rows({ ...none('signal'), but: ['4–20 mA', ''] })).toEqual([2, 4])
  expect(rows(current, { ...none('tag'), but: ['PT-9'] })).toEqual([0])
})

test('a range takes figures as they are written, and no empty cell', () => {
  expect(rows({ ...none('high'), low: '2.5' })).toEqual([0, 2, 4])
  expect(rows({ ...none('high'), low: '-5', high: '10' })).toEqual([0, 1, 4])
  expect(rows({ ...none('high'), low: 'five' }), 'a bound that is no figure bounds nothing').toHaveLength(5)
})

test('a text is turned off and on again; when none is left off, nothing is asked any more', () => {
  const off = turned(none('signal'), 'TC K')
  expect([off.but, asks(off)]).toEqual([['TC K'], true])
  expect(asks(turned(off, 'TC K'))).toBe(false)
  const one = turned({ ...none('signal'), only: ['TC K'] }, '4–20 mA')
  expect(one.only).toEqual(['TC K', '4–20 mA'])
  expect(rows(turned(turned(one, 'TC K'), '4–20 mA')), 'none of them').toEqual([])
})

test('a filter tells itself in a few words', () => {
  expect(saysOf({ ...none('signal'), only: ['TC K', ''] })).toBe('TC K, empty')
  expect(saysOf({ ...none('signal'), but: ['a', 'b', 'c'] })).toBe('not 3 texts')
  expect(saysOf({ ...none('high'), low: '5', high: '10' })).toBe('5…10')
  expect(saysOf({ ...none('high'), only: [], high: '10' })).toBe('nothing · ≤ 10')
})

test('an address carries filters to a colleague, and nothing that is none', () => {
  const filters = [{ ...none('signal'), only: ['TC K', ''] }, { ...none('high'), low: '5' }, none('tag')]
  const text = written(filters)!
  expect(read(text, () => true)).toEqual(filters.slice(0, 2))
  expect(read(text, (field) => field === 'high')).toEqual([filters[1]])
  expect(written([none('tag')])).toBeUndefined()
  expect(written([{ ...none('tag'), only: Array<string>(400).fill('PT-3107') }]), 'too long').toBeUndefined()
  for (const bad of ['', '{', '{"field":"tag"}', '[null, 3, {"field":7}]', '[{"field":"tag","only":"x"}]'])
    expect(
      read(bad, () => true),
      bad,
    ).toEqual([])
})
