import { afterEach, expect, test, vi } from 'vitest'
import { answering, cleared, mounted, plantOf, settled } from '../testing/mounted'
import NoticeBar from './NoticeBar.vue'

afterEach(cleared)
const shown = () =>
  document.querySelector('.v-snackbar.notice')?.textContent?.replace(/\s+/g, ' ').trim() ?? ''

test('what happened is told, and leaves by itself', async () => {
  vi.useFakeTimers()
  const plant = plantOf()
  await mounted(NoticeBar)
  plant.say('kept as “wiring”')
  await settled()
  expect(shown()).toContain('kept as “wiring”')
  await vi.advanceTimersByTimeAsync(5_000)
  expect(plant.notice).toBeNull()
})

test('what went wrong stays longer, with its mark', async () => {
  vi.useFakeTimers()
  const plant = plantOf()
  await mounted(NoticeBar)
  plant.say('the server took nothing', 'bad')
  await settled()
  expect(shown()).toContain('■ the server took nothing')
  await vi.advanceTimersByTimeAsync(5_000)
  expect(plant.notice).not.toBeNull()
})

test('a change is taken back where it is told, once', async () => {
  const plant = plantOf()
  const asked = answering({ 'POST /api/undo': 'nothing to undo' })
  await mounted(NoticeBar)
  plant.say('16 points are gone', 'plain', { undo: true })
  await settled()
  const undo = [...document.querySelectorAll('button')].find((b) => b.textContent?.trim() === 'undo')!
  undo.click()
  await settled()
  expect(asked.map((a) => `${a.way} ${a.path}`)).toEqual(['POST /api/undo'])
})
