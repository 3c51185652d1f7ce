import { expect, test } from 'vitest'
import { Settling } from './settling'

const fed = (settling: Settling, counts: number[], quality = 'good', from = 0) =>
  counts.forEach((c, k) => settling.take({ readAt: from + 1000 * k, counts: c, quality }))

test('as many samples as a level takes, close together, stand still', () => {
  const settling = new Settling(4, 2)
  fed(settling, [10, 12, 10])
  expect(settling.now().still, 'one is missing').toBe(false)
  fed(settling, [12], 'good', 3000)
  // Mean 11, one to either side: √(4/3).
  expect(settling.now()).toMatchObject({ mean: 11, still: true })
  expect(settling.now().sigma).toBeCloseTo(1.1547, 4)
})

test('what scatters more than the plant allows does not, however many there are', () => {
  const settling = new Settling(4, 1)
  fed(settling, [10, 12, 10, 12, 10, 12])
  expect(settling.now()).toMatchObject({ counts: [10, 12, 10, 12], still: false })
})

test('a sample of no good quality stands in the way until it has left', () => {
  const settling = new Settling(3, 2)
  fed(settling, [10, 10])
  fed(settling, [10], 'bad', 2000)
  expect(settling.now()).toMatchObject({ counts: [10, 10, null], still: false })
  fed(settling, [10, 10, 10], 'good', 3000)
  expect(settling.now().still).toBe(true)
})

test('one reading told twice is one sample, and a new level begins with none', () => {
  const settling = new Settling(2, 2)
  settling.take({ readAt: 5, counts: 1, quality: 'good' })
  settling.take({ readAt: 5, counts: 1, quality: 'good' })
  expect(settling.now().counts).toEqual([1])
  settling.again()
  expect(settling.now().counts).toEqual([])
})
