import { afterEach, expect, test, vi } from 'vitest'
import { answering, cleared, mounted, plantOf, settled } from '../testing/mounted'
import LiveFindings from './LiveFindings.vue'

afterEach(cleared)

const HELD = { rule: 'R32', severity: 'bad', point: 11, text: 'PT-3107: force, 300 mbar, by ana, overdue' }

test('what the plant tells is asked for once, and again when the stream says that something moved', async () => {
  vi.useFakeTimers()
  const plant = plantOf()
  let found = [HELD]
  const asked = answering({ 'GET /api/findings/live': () => ({ findings: found }) })
  const box = await mounted(LiveFindings)
  await settled()
  expect(box.textContent).toContain('tells 1 more now')
  expect(box.querySelector('a')?.getAttribute('href')).toBe('/now/11')
  await vi.advanceTimersByTimeAsync(60_000)
  expect(asked.length).toBe(1)
  found = []
  plant.temporary = []
  await settled()
  expect(asked.length).toBe(2)
  expect(box.querySelector('details')).toBeNull()
})

test('noise is judged over five minutes, and looked at as seldom', async () => {
  vi.useFakeTimers()
  plantOf()
  const asked = answering({ 'GET /api/findings/live': { findings: [] } })
  await mounted(LiveFindings)
  await vi.advanceTimersByTimeAsync(299_000)
  expect(asked.length).toBe(1)
  await vi.advanceTimersByTimeAsync(2_000)
  expect(asked.length).toBe(2)
})

test('the worst mark is that of the whole', async () => {
  plantOf()
  answering({
    'GET /api/findings/live': {
      findings: [
        { ...HELD, severity: 'settle' },
        { ...HELD, rule: 'R17' },
      ],
    },
  })
  const box = await mounted(LiveFindings)
  await settled()
  expect(box.querySelector('summary span')?.textContent).toBe('■')
  expect([...box.querySelectorAll('p .quiet')].map((e) => e.textContent)).toEqual(['R32', 'R17'])
})

test('a flood of alarms is no flood of questions', async () => {
  vi.useFakeTimers()
  const plant = plantOf()
  const asked = answering({ 'GET /api/findings/live': { findings: [] } })
  await mounted(LiveFindings)
  for (let k = 0; k < 40; k++) {
    plant.alarms = []
    await vi.advanceTimersByTimeAsync(500)
  }
  expect(asked.length).toBeLessThanOrEqual(6)
  await vi.advanceTimersByTimeAsync(20_000)
  expect(asked.length).toBeLessThanOrEqual(6)
})
