import { afterEach, expect, test, vi } from 'vitest'
import { answering, cleared, mounted, plantOf, settled } from '../testing/mounted'
import LiveFindings from './LiveFindings.vue'

afterEach(cleared)

const HELD = {
  rule: 'R32',
  severity: 'bad',
  point: 11,
  points: [11],
  keeps: null,
  text: 'PT-3107: force, 300 mbar, by ana, overdue',
}

test('what the plant tells is asked for once, and again when the stream says that something moved', async () => {
  vi.useFakeTimers()
  const plant = plantOf()
  let found = [HELD]
  const asked = answering({ 'GET /api/findings/live': () => ({ findings: found }) })
  const box = await mounted(LiveFindings)
  await settled()
  expect(box.textContent).toContain('tell 1 more now')
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

test('what was measured is put down in the list, and then asked for again', async () => {
  const plant = plantOf()
  plant.save = vi.fn(async () => undefined)
  const noisy = {
    ...HELD,
    rule: 'R17',
    text: 'PT-3107: the deadband …',
    keeps: { field: 'noise', text: '2.03' },
  }
  let found = [noisy]
  const asked = answering({ 'GET /api/findings/live': () => ({ findings: found }) })
  const box = await mounted(LiveFindings)
  await settled()
  const button = [...box.querySelectorAll('button')].find((b) => b.textContent!.includes('put σ 2.03 down'))!
  found = []
  button.click()
  await settled()
  expect(plant.save).toHaveBeenCalledWith([{ point: 11, field: 'noise', was: '', text: '2.03' }], 'measured')
  expect(asked.length).toBeGreaterThanOrEqual(1)
})

test('of many the first dozen is shown, and the rest when asked', async () => {
  plantOf()
  const found = Array.from({ length: 15 }, (_, k) => ({ ...HELD, text: `PT-${k}: force` }))
  answering({ 'GET /api/findings/live': { findings: found } })
  const box = await mounted(LiveFindings)
  await settled()
  expect(box.querySelectorAll('p').length).toBe(12)
  const more = [...box.querySelectorAll('button')].find((b) => b.textContent!.includes('3 more'))!
  more.click()
  await settled()
  expect(box.querySelectorAll('p').length).toBe(15)
})
