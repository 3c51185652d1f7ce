import { expect, test } from 'vitest'
import { latest } from './latest'

test('one request at a time, the newest wish next', async () => {
  const asked: number[] = []
  const answers: (() => void)[] = []
  const read = latest(async (n: number) => {
    asked.push(n)
    await new Promise<void>((resolve) => answers.push(resolve))
  })
  const first = read(1)
  for (const n of [2, 3, 4]) void read(n)
  expect(asked).toEqual([1])
  answers[0]!()
  await new Promise((resolve) => setTimeout(resolve))
  expect(asked).toEqual([1, 4])
  answers[1]!()
  await first
  void read(5)
  expect(asked).toEqual([1, 4, 5])
})

test('a request that fails holds up no other', async () => {
  const asked: number[] = []
  const read = latest(async (n: number) => {
    asked.push(n)
    if (n === 1) throw new Error('lost')
  })
  await read(1)
  await read(2)
  expect(asked).toEqual([1, 2])
})
