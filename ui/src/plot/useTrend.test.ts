import { createPinia, setActivePinia } from 'pinia'
import { createApp, defineComponent, h, nextTick } from 'vue'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { api } from '../api/client'
import { usePlant } from '../plant/store'
import { MOST_RECENT, PART_LATER_MS } from '../plant/trending'
import { useTrend } from './useTrend'

const NOON = Date.parse('2026-11-29T12:00:00Z')
const packed = (array: ArrayBufferView) => btoa(String.fromCharCode(...new Uint8Array(array.buffer)))
/** A reading of point 11, so many seconds after noon. */
const reading = (seconds: number, value: number) => ({
  now: NOON / 1000 + seconds, rack: 1, scan: seconds, seq: 5, state: 'answers', says: '',
  read_at: new Date(NOON + seconds * 1000).toISOString(), points: packed(new BigInt64Array([11n])),
  counts: packed(new Float64Array([16000])), value: packed(new Float64Array([value])),
  quality: packed(new Uint8Array([0])), reasons: packed(new Uint32Array([0])), injected: packed(new Uint8Array([0])),
  switch: packed(new Int8Array([-1])), flags: packed(new Uint8Array([0])), alarm: packed(new Uint8Array([0])),
  band: packed(new Int8Array([-1])), meters: packed(new BigInt64Array([])), counted: packed(new Float64Array([])),
  total: packed(new Float64Array([])), rate: packed(new Float64Array([])), shown: packed(new Float64Array([NaN])),
}) as never // prettier-ignore

let asked: string[] = []
let unmount: (() => void) | undefined

beforeEach(() => {
  setActivePinia(createPinia())
  vi.useFakeTimers()
  asked = []
  vi.spyOn(api, 'GET').mockImplementation((async (path: string) => {
    asked.push(path)
    const times = [NOON / 1000 - 2, NOON / 1000 - 1]
    const trend = { point: 11, times, mean: [1, 2], least: [1, 2], most: [1, 2] }
    return { data: { trends: [trend], ends: NOON / 1000 }, response: new Response() }
  }) as unknown as typeof api.GET)
})
afterEach(() => {
  unmount?.()
  vi.useRealTimers()
  vi.restoreAllMocks()
  document.body.innerHTML = ''
})

function chart(seconds: number) {
  const plant = usePlant()
  plant.plant = {
    racks: [{ id: 1, name: 'KC-2 rack 1', period_ms: 1000 }],
    stale_after_periods: 2,
    fields: [],
    families: {},
  } as never
  plant.list.load({ seq: 5, ids: [11], racks: [1], columns: { tag: ['PT-3107'], unit: ['mbar'] } })
  const box = document.createElement('div')
  document.body.append(box)
  const Shown = defineComponent(() => {
    const { samples } = useTrend({ point: () => 11, seconds: () => seconds, columns: () => 600 })
    return () =>
      h(
        'ol',
        samples.value.map((s) => h('li', s.mean ?? 'gap')),
      )
  })
  const app = createApp(Shown)
  app.mount(box)
  unmount = () => app.unmount()
  return { plant, box }
}
const points = (box: HTMLElement) => box.querySelectorAll('li').length

test('a trend goes on with the readings that come and asks for nothing more', async () => {
  const { plant, box } = chart(600)
  await vi.advanceTimersByTimeAsync(0)
  expect(asked).toEqual(['/api/trends'])
  expect(points(box)).toBe(2)
  for (let s = 0; s < 30; s++) {
    plant.live.take(reading(s, 3))
    await vi.advanceTimersByTimeAsync(1000)
  }
  // Again for what the scan had not written when it was first asked for, and what a slow rack had not; then no more, however long it stands.
  expect(asked.length).toBe(3)
  expect(points(box)).toBe(32)
  await vi.advanceTimersByTimeAsync(10 * 60_000)
  expect(asked.length).toBe(3)
})

test('what is older than its range goes', async () => {
  const { plant, box } = chart(20)
  await vi.advanceTimersByTimeAsync(PART_LATER_MS)
  for (let s = 0; s < 60; s++) plant.live.take(reading(s, 3))
  await nextTick()
  expect(points(box)).toBe(21)
})

test('a long range is asked for drawn together once there are many readings', async () => {
  const { plant } = chart(7200)
  await vi.advanceTimersByTimeAsync(PART_LATER_MS)
  const before = asked.length
  for (let s = 0; s <= MOST_RECENT + 60; s++) plant.live.take(reading(s, 3))
  await vi.advanceTimersByTimeAsync(0)
  expect(asked.length).toBe(before + 1)
})

test('what was read while the line was away is asked for when it is back', async () => {
  const { plant } = chart(600)
  plant.linkUp = true
  await vi.advanceTimersByTimeAsync(0)
  expect(asked.length, 'the first line is no return').toBe(1)
  await vi.advanceTimersByTimeAsync(PART_LATER_MS)
  const before = asked.length
  plant.linkUp = false
  await nextTick()
  plant.linkUp = true
  await vi.advanceTimersByTimeAsync(0)
  expect(asked.length).toBe(before + 1)
})
