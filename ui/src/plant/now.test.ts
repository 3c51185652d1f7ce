import { LiveColumns } from './live'
import { byWhy, lostRack, type Lost } from './now'

const NOON = Date.parse('2026-05-04T12:00:00Z')

/** A plant whose rack 1 has a period of 1 s; stale after two. */
function plant(state: string, secondsAgo: number, linkUp = true) {
  const live = new LiveColumns()
  live.racks.set(1, { readAt: NOON - secondsAgo * 1000, state, says: 'nothing answers at 10.0.0.7:502' })
  const racks = [{ id: 1, name: 'KC-2 rack 1', period_ms: 1000 }]
  return { live, linkUp, plant: { stale_after_periods: 2, racks } } as never
}
const told = (...of: Parameters<typeof plant>) => {
  const lost = lostRack(plant(...of), 1)
  return lost && `${lost.name}: ${lost.why} · ${lost.since}`
}

beforeEach(() => {
  vi.useFakeTimers({ now: NOON })
})
afterEach(() => {
  vi.useRealTimers()
})

test('a rack that was read within two periods is not lost, whatever it said since', () => {
  expect(told('answers', 1.9)).toBeUndefined()
  expect(told('unreachable', 1.9)).toBeUndefined()
  expect(lostRack(plant('answers', 1), 2)).toBeUndefined()
})

test('a rack that does not answer says why, and since when', () => {
  expect(told('unreachable', 12)).toBe('KC-2 rack 1: nothing answers at 10.0.0.7:502 · last read 12 s ago')
  expect(told('unreachable', NOON / 1000)).toBe('KC-2 rack 1: nothing answers at 10.0.0.7:502 · not read yet')
})

test('a rack that answered and is read by nobody says so once another agent had its ten seconds', () => {
  expect(told('answers', 9)).toBeUndefined()
  expect(told('answers', 11)).toBe('KC-2 rack 1: read by nobody: does a scan agent run? · last read 11 s ago')
})

test('while the server is lost, or a rack is not asked for, nothing is said of it', () => {
  expect(told('answers', 60, false)).toBeUndefined()
  const elsewhere = plant('answers', 60) as { live: LiveColumns }
  elsewhere.live.follow([2, 3])
  expect(lostRack(elsewhere as never, 1)).toBeUndefined()
})

test('racks that are lost for one reason are told as one thing', () => {
  const lost = (name: string, why: string): Lost => ({ id: 0, name, why, since: 'last read 12 s ago' })
  const racks = [...['1', '2', '3', '4', '5'].map((n) => lost(n, 'read by nobody')), lost('6', 'too slow')]
  expect(byWhy(racks).map((g) => `${g.names}: ${g.why}`)).toEqual([
    '1, 2, 3 and 2 more: read by nobody',
    '6: too slow',
  ])
})
