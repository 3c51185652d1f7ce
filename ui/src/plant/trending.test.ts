import { withGaps, type Sample } from './trending'

const at = (...times: number[]): Sample[] => times.map((t) => ({ t, mean: t, least: t, most: t }))

test('readings a period apart are joined, also when one is a little late', () => {
  expect(withGaps(at(0, 1, 2.4, 3, 5), 2)).toEqual(at(0, 1, 2.4, 3, 5))
})

test('across what nobody has read no line is drawn', () => {
  expect(withGaps(at(0, 1, 11, 12), 2).map((s) => s.mean)).toEqual([0, 1, null, 11, 12])
})

test('nothing, and one reading, stay what they are', () => {
  expect(withGaps([], 2)).toEqual([])
  expect(withGaps(at(7), 2)).toEqual(at(7))
})
