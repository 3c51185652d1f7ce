import { Steady } from './steady'

const reading = (readAt: number, counts: number) => ({ readAt, counts, value: counts / 64 })

test('a level counts once four readings stand still, and is their mean', () => {
  const steady = new Steady(32_000)
  for (const [t, counts] of [[1, 8000], [2, 8004], [3, 7996]] as const) steady.take(reading(t, counts)) // prettier-ignore
  expect(steady.level()).toBeNull()
  steady.take(reading(4, 8000))
  expect(steady.level()).toEqual({ counts: 8000, value: 125 })
})

test('one reading told twice is one reading', () => {
  const steady = new Steady(32_000)
  for (let k = 0; k < 8; k++) steady.take(reading(1, 8000))
  expect(steady.level()).toBeNull()
})

test('while it moves it is no level, and a new step begins anew', () => {
  const steady = new Steady(32_000)
  for (let t = 0; t < 4; t++) steady.take(reading(t, 8000 + t * 40))
  expect(steady.level()).toBeNull()
  for (let t = 4; t < 8; t++) steady.take(reading(t, 16_000))
  expect(steady.level()).toEqual({ counts: 16_000, value: 250 })
  steady.again()
  expect(steady.level()).toBeNull()
})

test('a switch stands still in one state only: a quarter closed is no reading', () => {
  const steady = new Steady(1)
  for (const [t, counts] of [[1, 0], [2, 1], [3, 1], [4, 1]] as const) steady.take(reading(t, counts)) // prettier-ignore
  expect(steady.level()).toBeNull()
  steady.take(reading(5, 1))
  expect(steady.level()?.counts).toBe(1)
})
