import { afterEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../testing/mounted'
import HistoryPage from './HistoryPage.vue'

afterEach(cleared)

const cell = (point: number, tag: string, was: string, became: string) => ({
  point,
  tag,
  field: 'service',
  was,
  became,
})
const set = (seq: number, cells: ReturnType<typeof cell>[], more = {}) => ({
  seq, at: '2026-11-30T04:00:00Z', who: 'ben', source: 'typed', why: '', undoes: null, count: cells.length, cells, ...more,
}) // prettier-ignore
const told = (...sets: unknown[]) => ({ sets, people: ['ana', 'ben'] })

async function page(answers: Record<string, unknown>) {
  const plant = plantOf()
  const asked = answering(answers)
  const box = await mounted(HistoryPage)
  await settled()
  return { plant, asked, box }
}

test('what was changed stands there with who and how, the old and the new', async () => {
  const { box } = await page({
    'GET /api/history': told(set(7, [cell(11, 'PT-3107', 'gas', '')]), set(6, [], { count: 0 })),
  })
  const first = box.querySelector('li')!.textContent!.replace(/\s+/g, ' ')
  expect(first).toContain('ben · typed · change 7 · 1 cell')
  expect(first).toContain('gas → empty')
})

test('nothing changed yet, and nothing like what is asked for, are said apart', async () => {
  const { box } = await page({ 'GET /api/history': told() })
  expect(box.textContent).toContain('Nothing has been changed yet')
  vi.useFakeTimers()
  await typed(field(box, 'tag of a point'), 'PT-3107')
  await vi.runAllTimersAsync()
  await settled()
  expect(box.textContent).toContain('Nothing like that was changed')
})

test('a tag that no point has is said, and nothing of others is shown under it', async () => {
  const { box } = await page({ 'GET /api/history': told(set(7, [cell(11, 'PT-3107', 'a', 'b')])) })
  vi.useFakeTimers()
  await typed(field(box, 'tag of a point'), 'PT-999')
  await vi.runAllTimersAsync()
  await settled()
  expect(box.textContent).toContain('no point is called “PT-999”')
  expect(box.querySelector('li')).toBeNull()
})

test('of a set a cell, a row or all of it is taken back, and undo is offered', async () => {
  const back = {
    seq: 8,
    applied: true,
    cells: [],
    moved: [],
    opened: [],
    closed: [],
    change: null,
    kept: [{}],
  }
  const { plant, asked, box } = await page({
    'GET /api/history': told(set(7, [cell(11, 'PT-3107', 'a', 'b'), cell(12, 'ZV-2', 'c', 'd')])),
    'POST /api/history/{seq}/revert': back,
  })
  const reverts = () => asked.filter((one) => one.path.endsWith('/revert')).map((one) => one.body)
  for (const words of ['cell back', 'row back', 'take all of it back']) {
    button(box, words)!.click()
    await settled()
  }
  expect(reverts()).toEqual([{ point: 11, field: 'service' }, { point: 11 }, {}])
  expect(plant.notice).toMatchObject({ undo: true })
  expect(plant.notice!.text).toContain('1 cells changed since stay')
})

test('a long set shows a few cells, and more when asked', async () => {
  const many = Array.from({ length: 9 }, (_, k) => cell(11, `PT-${k}`, '', 'x'))
  const { box } = await page({ 'GET /api/history': told(set(7, many)) })
  expect(box.querySelectorAll('.cell').length).toBe(6)
  button(box, '3 more')!.click()
  await settled()
  expect(box.querySelectorAll('.cell').length).toBe(9)
})
