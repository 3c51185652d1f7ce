import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, mounted, plantOf, settled, typed } from '../testing/mounted'
import SuppliesTable from './SuppliesTable.vue'

afterEach(cleared)

const G1 = {
  name: 'G1', of: '', volts: '24', least_v: '20.4', greatest_v: '28.8', amperes: '10', on: '', points: 2, carries_ma: 44,
} // prettier-ignore
const F1 = {
  name: 'F1', of: 'G1', volts: '', least_v: '', greatest_v: '', amperes: '0.04', on: 'TC-3·1·4·1 to 8', points: 2, carries_ma: 44,
} // prettier-ignore

async function opened(supplies: unknown[], rights?: string[]) {
  plantOf(rights)
  answering({ 'GET /api/conventions/supplies': { text: '', supplies } })
  const said: string[] = []
  const box = await mounted(SuppliesTable, { onTyped: (text: string) => said.push(text) })
  await settled()
  const field = (label: string) => box.querySelector<HTMLInputElement>(`[aria-label="${label}"]`)!
  return { box, said, field }
}

test('a supply and its fuse stand with what they carry, and the fuse that carries more than it may is marked', async () => {
  const { box } = await opened([G1, F1])
  const told = [...box.querySelectorAll('tbody tr')].map((row) =>
    row.textContent!.replace(/\s+/g, ' ').trim(),
  )
  expect(told[0]).toContain('44 mA · 2 points')
  expect(told[0]).not.toContain('▲')
  expect(told[1]).toContain('▲ 44 mA')
})

test('what is typed is told as one text of the plant', async () => {
  const { box, said, field } = await opened([G1, F1])
  expect(button(box, 'see what it would do')).toBeUndefined()
  await typed(field('rating of F1'), '0,5')
  await settled()
  button(box, 'see what it would do')!.click()
  await settled()
  expect(said).toEqual(['G1 24 V 20.4 to 28.8 V 10 A; F1 of G1 0.5 A on TC-3·1·4·1 to 8'])
})

test('one is added, one is taken away', async () => {
  const { box, said, field } = await opened([G1, F1])
  box.querySelector<HTMLElement>('[aria-label="take F1 away"]')!.click()
  await settled()
  button(box, 'another')!.click()
  await settled()
  await typed(field('name of the new one'), 'G2')
  await typed(field('gives of G2'), '12')
  await settled()
  button(box, 'see what it would do')!.click()
  await settled()
  expect(said).toEqual(['G1 24 V 20.4 to 28.8 V 10 A; G2 12 V'])
})

test('half a span is said and nothing is sent', async () => {
  const { box, said, field } = await opened([G1])
  await typed(field('least of G1'), '')
  await settled()
  button(box, 'see what it would do')!.click()
  await settled()
  expect(said).toEqual([])
  expect(box.querySelector('[role=alert]')!.textContent).toContain('G1: say the least and the greatest')
})

test('without any it says what is taken, and who may only look is offered nothing', async () => {
  const { box } = await opened([], ['look', 'read'])
  expect(box.textContent).toContain('None is put down')
  expect(button(box, 'another')).toBeUndefined()
})
