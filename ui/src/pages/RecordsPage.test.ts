import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../testing/mounted'
import RecordsPage from './RecordsPage.vue'

afterEach(cleared)

const line = (id: number, more: object = {}) => ({
  id, at: '2027-03-01T08:00:00Z', kind: 'loop check', point: 11, tag: 'PT-3107', who: 'ana', name: 'Ana Serra', verdict: 'passed: largest error 0.1 %',
  passes: true, phase: '', worst: 0.1, ...more,
}) // prettier-ignore
const DAYS = { at: [86400, 172800], low: [-0.2, 0.1], high: [0.1, 0.4], count: [3, 1], failed: [0, 1] }
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

async function page(answers: Record<string, unknown> = {}) {
  plantOf()
  const asked = answering({
    'GET /api/records': { records: [line(2), line(1, { passes: false, verdict: 'failed: 3 %' })], count: 3 },
    'GET /api/records/timeline': DAYS,
    ...answers,
  })
  const box = await mounted(RecordsPage)
  await settled()
  return { box, asked }
}

test('what was signed is listed, what failed is marked, and older ones come on asking', async () => {
  const { box, asked } = await page()
  expect(flat(box)).toContain('3 signed')
  expect(flat(box)).toContain('■ failed: 3 %')
  expect(box.querySelector('.plot')).not.toBeNull()
  button(box, 'older ones')!.click()
  await settled()
  expect(asked.filter((a) => a.path === '/api/records')).toHaveLength(2)
  expect(box.querySelectorAll('tbody tr')).toHaveLength(4)
})

test('what is looked for is asked for, and nothing of the kind says so', async () => {
  const { box, asked } = await page({ 'GET /api/records': { records: [], count: 0 } })
  await typed(field(box, 'by whom'), 'Pau')
  await settled()
  expect(asked.filter((a) => a.path === '/api/records').length).toBeGreaterThan(1)
  expect(flat(box)).toContain('nothing of that kind was signed')
})

test('points that are due say why, those that have passed first', async () => {
  const due = {
    point: 11,
    tag: 'PT-3107',
    area: 'kiln 2',
    cabinet: 'KC-2',
    route: 'Monday',
    day: '2026-01-02',
    days: -3,
    because: 'drift',
    says: 'it drifts by 0.200 % of span a year',
  }
  const { box } = await page({ 'GET /api/due': { points: [due], count: 1 } })
  expect(flat(box)).toContain('▲ 1 of them have passed')
  expect(flat(box)).toContain('it drifts by 0.200 % of span a year')
})
