import { read, spread, written } from './clipboard'

test('a block comes back as it was written, whatever its cells hold', () => {
  const block = [
    ['PT-3107', '0 … 600', ''],
    ['tab\there', 'line\nend', 'say "so"'],
  ]
  expect(read(written(block))).toEqual(block)
})

test('what spreadsheets send ends with a line end and may have carriage returns', () => {
  expect(read('1\t2\r\n3\t4\r\n')).toEqual([
    ['1', '2'],
    ['3', '4'],
  ])
  expect(read('')).toEqual([['']])
})

test('one cell fills a selection, a divisor is repeated, anything else stands once', () => {
  expect(spread([['x']], 2, 2)).toEqual([
    ['x', 'x'],
    ['x', 'x'],
  ])
  expect(spread([['1'], ['2']], 4, 1).flat()).toEqual(['1', '2', '1', '2'])
  expect(spread([['1'], ['2']], 3, 1).flat()).toEqual(['1', '2'])
  expect(spread([['1', '2'], ['3']], 1, 1)).toEqual([
    ['1', '2'],
    ['3', ''],
  ])
})
