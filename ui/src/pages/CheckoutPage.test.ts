import { afterEach, expect, test } from 'vitest'
import {
  answering,
  button,
  cleared,
  field,
  mounted,
  placeNow,
  plantOf,
  settled,
  typed,
} from '../testing/mounted'
import CheckoutPage from './CheckoutPage.vue'

afterEach(cleared)

const HOME = { begins: '', expected: [], found: [], swapped: [], missing: [] as number[], others: [] }
const OUT = { ...HOME, begins: '2026-11-30T08:00:00Z', expected: [11, 12], missing: [11, 12] }
const found = (id: number, more: object = {}) => ({
  id, at: '2026-11-30T08:05:00Z', point: 11, pattern: 'staircase', takes: true, says: 'five levels, up and down', plateaus: [], ...more,
}) // prettier-ignore

async function page(walk: object, answers: Record<string, unknown> = {}, rights?: string[]) {
  const plant = plantOf(rights)
  let now = walk
  const asked = answering({ 'GET /api/walk': () => now, ...answers })
  const box = await mounted(CheckoutPage, {}, { at: '/checkout' })
  await settled()
  return {
    plant,
    asked,
    box,
    comes: async (next: object) => ((now = next), plant.foundSeen++, await settled()),
  }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('points are named in the order they are walked to, and one sets out', async () => {
  const { box, asked } = await page(HOME, { 'PUT /api/walk': OUT })
  expect(flat(box)).toContain('you have not set out yet')
  await typed(field(box, 'find points to walk to'), 'zv')
  button(box, 'ZV-2')!.click()
  await settled()
  await typed(field(box, 'find points to walk to'), 'pt')
  button(box, 'PT-3107')!.click()
  await settled()
  expect(flat(box)).toContain('ZV-2 → PT-3107')
  button(box, 'set out')!.click()
  await settled()
  expect(asked.find((a) => a.way === 'PUT')!.body).toEqual({ expected: [12, 11] })
  expect(flat(box)).toContain('next: PT-3107')
})

test('what is found while one walks opens its check; what was found before does not', async () => {
  const { comes } = await page({ ...OUT, found: [found(1)] })
  expect(placeNow()).toBe('/checkout')
  await comes({ ...OUT, found: [found(1), found(2, { point: 12 })] })
  expect(placeNow()).toBe('/check/12?found=2')
})

test('what is not sure is shown and not opened, and says why', async () => {
  const { box, comes } = await page(OUT)
  await comes({ ...OUT, found: [found(1, { takes: false, says: 'it shuts the gas: look first' })] })
  expect(placeNow()).toBe('/checkout')
  expect(flat(box)).toContain('it shuts the gas: look first')
  expect(flat(box)).toContain('take it all the same')
})

test('two that answer in each other’s place are told', async () => {
  const { box } = await page({ ...OUT, swapped: [{ one: 11, other: 12 }] })
  expect(flat(box)).toContain('PT-3107 and ZV-2 answer in each other’s place: their cores are swapped')
})

test('coming back ends the watch, and a reader does not set out', async () => {
  const { box, asked } = await page(OUT, { 'DELETE /api/walk': { ...HOME, missing: [12] } })
  button(box, 'I am back')!.click()
  await settled()
  expect(asked.at(-1)).toMatchObject({ way: 'DELETE', path: '/api/walk' })
  expect(button(box, 'I am back')).toBeUndefined()
  expect(flat(box)).toContain('not found on this walk: ZV-2')
  cleared()
  const reader = await page(HOME, {}, ['look', 'read'])
  expect(button(reader.box, 'set out')!.disabled).toBe(true)
})
