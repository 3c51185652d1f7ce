import { beforeEach, expect, test, vi } from 'vitest'
import { LiveColumns } from './live'
import { rackTrouble } from './now'

const NOON = Date.parse('2026-05-04T12:00:00Z')

/** A plant whose rack 1 has a period of 1 s; stale after two. */
function plant(state: string, secondsAgo: number, linkUp = true) {
  const live = new LiveColumns()
  live.racks.set(1, { readAt: NOON - secondsAgo * 1000, state })
  return { live, linkUp, plant: { stale_after_periods: 2, racks: [{ id: 1, period_ms: 1000 }] } } as never
}

beforeEach(() => {
  vi.useFakeTimers({ now: NOON })
})

test('a rack that was read within two periods gives no cause for words, whatever it said since', () => {
  expect(rackTrouble(plant('answers', 1.9), 1)).toBe('')
  expect(rackTrouble(plant('nothing answers at 10.0.0.7:502', 1.9), 1)).toBe('')
  expect(rackTrouble(plant('answers', 1), 2)).toBe('')
})

test('a rack that does not answer says why, and since when', () => {
  expect(rackTrouble(plant('nothing answers at 10.0.0.7:502', 12), 1)).toBe(
    'nothing answers at 10.0.0.7:502 · last read 12 s ago',
  )
})

test('a rack that answered and is read by nobody says so once another agent had its ten seconds', () => {
  expect(rackTrouble(plant('answers', 9), 1)).toBe('')
  expect(rackTrouble(plant('answers', 11), 1)).toBe(
    'nobody reads it: does a scan agent run? · last read 11 s ago',
  )
})

test('a rack that never answered has no time of a reading', () => {
  const never = plant('nothing answers at 10.0.0.7:502', NOON / 1000)
  expect(rackTrouble(never, 1)).toBe('nothing answers at 10.0.0.7:502 · not read yet')
})

test('while the server is lost, or a rack is not asked for, nothing is said of it', () => {
  expect(rackTrouble(plant('answers', 60, false), 1)).toBe('')
  const elsewhere = plant('answers', 60) as { live: LiveColumns }
  elsewhere.live.follow([2, 3])
  expect(rackTrouble(elsewhere as never, 1)).toBe('')
})
