import { afterEach, expect, test } from 'vitest'
import { none, type Filter } from '../../plant/filters'
import { button, cleared, mounted, plantOf, settled, typed } from '../../testing/mounted'
import HeadFilter from './HeadFilter.vue'

afterEach(cleared)

const FIELD = { name: 'device_high', station: 'DEVICE', label: 'high', kind: 'number', unit: '' }

async function sieve(values: [string, number][], filter?: Filter) {
  plantOf()
  const given: Filter[] = []
  const target = document.createElement('span')
  document.body.append(target)
  await mounted(HeadFilter, {
    field: FIELD,
    filter,
    values: values.map(([text, count]) => ({ text, count })),
    target,
    onFilter: (now: Filter) => given.push(now),
  })
  await settled()
  const box = document.querySelector<HTMLElement>('.filter')!
  const fieldOf = (name: string) => box.querySelector<HTMLInputElement>(`[aria-label="${name}"]`)!
  return { box, given, fieldOf }
}
const VALUES: [string, number][] = [['10', 4], ['25', 10], ['', 3]] // prettier-ignore

test('a range is asked for where the column holds figures, and only there', async () => {
  const { given, fieldOf } = await sieve(VALUES)
  await typed(fieldOf('from'), '15')
  expect(given.at(-1)).toEqual({ ...none('device_high'), low: '15' })
  cleared()
  const texts = await sieve([['kiln', 2]])
  expect(texts.fieldOf('from')).toBeNull()
})

test('Enter shows what was found alone', async () => {
  const { given, fieldOf } = await sieve(VALUES)
  const find = fieldOf('find a text')
  await typed(find, 'emp')
  find.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }))
  expect(given.at(-1)).toEqual({ ...none('device_high'), only: [''] })
})

test('all and none, and all again only where something is filtered', async () => {
  const { box, given } = await sieve(VALUES)
  expect(button(box, 'show all')!.hasAttribute('disabled')).toBe(true)
  button(box, 'none')!.click()
  expect(given.at(-1)!.only).toEqual([])
  cleared()
  const some = await sieve(VALUES, { ...none('device_high'), but: ['10'] })
  button(some.box, 'show all')!.click()
  expect(some.given.at(-1)).toEqual(none('device_high'))
})
