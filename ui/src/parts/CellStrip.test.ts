import { afterEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, mounted, plantOf, settled } from '../testing/mounted'
import CellStrip from './CellStrip.vue'

afterEach(cleared)

async function strip(more: { wait?: object; lock?: object; changes?: object[]; texts?: string[][] } = {}) {
  vi.useFakeTimers()
  const plant = plantOf()
  plant.plant = { ...plant.plant, fields: [{ name: 'value_high', label: 'scaled to', station: 'VALUE', says: 'value at the high end' }] } as never // prettier-ignore
  const asked = answering({
    'GET /api/history': { sets: more.changes ?? [] },
    'POST /api/proposals': (body: unknown) => ({ body, seq: 6, left: [], change: null }),
  })
  if (more.wait)
    plant.waiting.set('11:value_high', { point: 11, field: 'value_high', was: '500', ...more.wait } as never)
  if (more.lock) plant.setLocks([more.lock as never])
  const texts = more.texts
  const box = await mounted(CellStrip, {
    point: 11, field: 'value_high', cells: texts ? texts.flat().length : 1, points: [11], texts: () => texts ?? [],
  }) // prettier-ignore
  await vi.advanceTimersByTimeAsync(200)
  await settled()
  return { box, asked, plant }
}
const words = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('a cell says what it is, and that nothing is to be settled', async () => {
  const { box } = await strip()
  expect(words(box)).toContain('PT-3107 · value scaled to value at the high end')
  expect(words(box)).toContain('nothing to settle on this point')
  expect(words(box)).toContain('none yet')
})

test('who changed it last is told, with what stood there', async () => {
  const set = { seq: 5, at: '2026-05-04T12:00:00Z', who: 'ben', source: 'typed', cells: [{ field: 'value_high', was: '500', became: '' }] } // prettier-ignore
  const { box } = await strip({ changes: [set] })
  expect(words(box)).toContain('ben, typed: value scaled to 500 → empty')
})

test('what could not be saved is kept, and can be left as it was', async () => {
  const { box, plant } = await strip({ wait: { text: '6O0', state: 'refused', says: '“6O0” is no number' } })
  expect(box.querySelector('[role=alert]')?.textContent).toContain('“6O0” is no number')
  expect(words(box)).toContain('“6O0” is kept here; the list still says 500')
  button(box, 'leave it as it was')!.click()
  expect(plant.waitingAt(11, 'value_high')).toBeUndefined()
})

test('of two hands on one cell, mine is saved over what the other wrote, not over what I began with', async () => {
  const wait = { text: '600', state: 'conflict', says: 'ben changed it meanwhile', theirs: '550' }
  const { box, asked } = await strip({ wait })
  expect(button(box, 'take theirs')).toBeDefined()
  button(box, 'take mine')!.click()
  await settled()
  const sent = asked.find((a) => a.path === '/api/proposals')!.body as { edits: object[] }
  expect(sent.edits).toMatchObject([{ point: 11, field: 'value_high', was: '550', text: '600' }])
})

test('a row that somebody locked says who and why', async () => {
  const { box } = await strip({ lock: { point: 11, who: 'ben', why: 'loop check', at: '' } })
  expect(words(box)).toContain('locked by ben: loop check')
})
