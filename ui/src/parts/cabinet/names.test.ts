import { expect, test } from 'vitest'
import { numbered } from './names'

test('the last number of a name runs on, with its digits', () => {
  expect(numbered('ns=2;s=slot 1.channel 9', new Set(), 3)).toEqual([
    'ns=2;s=slot 1.channel 9',
    'ns=2;s=slot 1.channel 10',
    'ns=2;s=slot 1.channel 11',
  ])
  expect(numbered('press/tt/007', new Set(), 2)).toEqual(['press/tt/007', 'press/tt/008'])
})

test('it ends where the rack has no further name, and where there is no number', () => {
  expect(numbered('t/1', new Set(['t/1', 't/2', 't/4']), 4)).toEqual(['t/1', 't/2'])
  expect(numbered('press/tt', new Set(), 3)).toEqual(['press/tt'])
})

test('a number of any length is counted on to its last digit', () => {
  expect(numbered('n9007199254740993', new Set(), 2)[1]).toBe('n9007199254740994')
})
