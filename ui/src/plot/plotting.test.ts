import { expect, test } from 'vitest'
import { csvOf, onOneAxis, summary, timeMarks, type Line } from './plotting'

const line = (more: Partial<Line>): Line => ({
  label: 'PT-3107',
  unit: 'mbar',
  values: [1, null, 3],
  colour: 'copper',
  ...more,
})

test('who does not see a plot is told from where to where it goes and how it ends', () => {
  expect(summary([line({ decimals: 1 })])).toBe('PT-3107 from 1.0 mbar to 3.0 mbar, last 3.0 mbar')
  expect(summary([line({ low: [0.5, null, 3], high: [1, null, 4] })])).toBe(
    'PT-3107 from 0.5 mbar to 4.0 mbar, last 3.0 mbar',
  )
  expect(summary([line({ values: [null, null] })])).toBe('PT-3107 has no good value')
  const word = (v: number) => (v ? 'blocked' : 'clear')
  expect(summary([line({ values: [0, 1, 0], unit: '', word })])).toBe(
    'PT-3107 from clear to blocked, last clear',
  )
})

test('the figures of a plot go out unrounded, a gap as nothing, times in UTC', () => {
  const text = csvOf([0, 1.5], '', [line({ values: [0.1, null], low: [0, null], high: [0.2, null] })])
  expect(text).toBe(
    'time,PT-3107 mbar,PT-3107 mbar least,PT-3107 mbar most\r\n' +
      '1970-01-01T00:00:00.000Z,0.1,0,0.2\r\n1970-01-01T00:00:01.500Z,,,\r\n',
  )
  expect(csvOf([4], 'mA', [line({ label: 'a, "b"', unit: '', values: [1] })])).toBe(
    'x mA,"a, ""b"""\r\n4,1\r\n',
  )
})

test('points read at different times stand on one axis, with nothing where one was not read', () => {
  const { x, columns } = onOneAxis([
    { times: [1, 3], columns: [[10, 30]] },
    { times: [2, 3], columns: [[200, null]] },
  ])
  expect(x).toEqual([1, 2, 3])
  expect(columns[0]![0]).toEqual([10, null, 30])
  expect(columns[1]![0]).toEqual([null, 200, null])
})

test('times at an axis are as fine as they lie, and say the day where it begins', () => {
  const at = (h: number, m = 0, s = 0) => new Date(2026, 10, 30, h, m, s).getTime() / 1000
  expect(timeMarks([at(13, 5, 10), at(13, 5, 20)])).toEqual(['13:05:10', '13:05:20'])
  expect(timeMarks([at(23), at(24), at(25)])).toEqual(['23:00', '12-01', '01:00'])
  expect(timeMarks([at(0), at(24)])).toEqual(['11-30', '12-01'])
  expect(timeMarks([at(0), at(24 * 365)])).toEqual(['2026-11', '2027-11'])
  expect(timeMarks([at(0)]), 'one alone says its day').toEqual(['2026-11-30'])
})
