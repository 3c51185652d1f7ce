import { afterEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, mounted, plantOf, settled, typed } from '../testing/mounted'
import RegistersPage from './RegistersPage.vue'

afterEach(cleared)

const HEADS = ['tag', 'service', 'table', 'from 0', 'from 1', 'hexadecimal', 'with the table’s digit', 'registers', 'type', 'order', 'times', 'unit', 'decimals', 'low'] // prettier-ignore
const ROW = ['PT-1', 'header', 'holding register', '400', '401', '0x0190', '40401', '2', 'real', 'CDAB', '', 'bar', '', ''] // prettier-ignore
const PLAN = {
  seq: 3,
  edits: [{ point: 11, tag: 'PT-1', field: 'published_at', was: '', becomes: 'holding 400 real', row: 2 }],
  same: 4,
  unmapped: 1,
  wrong: [{ row: 7, tag: 'XX-9', says: 'no point of the list is called so' }],
}

async function opened(more: object = {}, rights?: string[]) {
  const plant = plantOf(rights)
  plant.save = vi.fn(async () => undefined)
  const asked = answering({
    'GET /api/served/map': { seq: 3, heads: HEADS, rows: [ROW], points: [11], wrong: [] },
    'POST /api/served/map': PLAN,
    'POST /api/served/map/lay': PLAN,
    ...more,
  })
  const box = await mounted(RegistersPage, {}, { at: '/registers' })
  await settled()
  return { plant, box, asked }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('columns that say nothing of any value are left out', async () => {
  const { box } = await opened()
  const heads = [...box.querySelectorAll('[role=columnheader]')].map((h) => h.textContent)
  expect(heads).toContain('with the table’s digit')
  expect(heads).not.toContain('low')
  expect([...box.querySelectorAll('a.act')].map((a) => a.getAttribute('href'))).toEqual([
    '/api/served/map/csv',
    '/api/served/map/xlsx',
    '/api/served/map/json',
  ])
})

test('a map that comes back shows what it would change, and changes the list only when it is taken', async () => {
  const { box, plant } = await opened()
  const input = box.querySelector<HTMLInputElement>('input[type=file]')!
  Object.defineProperty(input, 'files', { value: [new File(['tag'], 'panel 3.csv')] })
  input.dispatchEvent(new Event('change'))
  await settled()
  expect(flat(box)).toContain(
    'panel 3.csv: 1 cell changes, 4 as they are, 1 published here that it does not name',
  )
  expect(flat(box)).toContain('row 7, XX-9: no point of the list is called so')
  expect(plant.save).not.toHaveBeenCalled()
  button(box, 'take the 1 into the list')!.click()
  await settled()
  expect(plant.save).toHaveBeenCalledWith(
    [{ point: 11, field: 'published_at', was: '', text: 'holding 400 real' }],
    'register map: panel 3.csv',
  )
  expect(flat(box)).toContain('Ctrl+Z undoes it')
})

test('registers are given from a first one, and a word is no register', async () => {
  const { box, asked } = await opened()
  button(box, 'give registers…')!.click()
  await settled()
  const first = box.querySelector<HTMLInputElement>('[aria-label="first register, from 0"]')!
  await typed(first, 'next')
  box.querySelector('form')!.dispatchEvent(new Event('submit', { cancelable: true }))
  await settled()
  expect(flat(box)).toContain('“next” is no register')
  await typed(first, '1000')
  box.querySelector('form')!.dispatchEvent(new Event('submit', { cancelable: true }))
  await settled()
  const sent = asked.find((a) => a.path === '/api/served/map/lay')!.body as {
    first: number
    points: number[]
  }
  expect(sent.first).toBe(1000)
  expect(sent.points.length).toBeGreaterThan(0)
})

test('an empty map says how it fills, and who may only look is offered files alone', async () => {
  const empty = { 'GET /api/served/map': { seq: 3, heads: HEADS, rows: [], points: [], wrong: [] } }
  const { box } = await opened(empty, ['look', 'read'])
  expect(flat(box)).toContain('No point has a register yet')
  expect(button(box, 'give registers…')).toBeUndefined()
  expect(box.querySelector('input[type=file]')).toBeNull()
})
