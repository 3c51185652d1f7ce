import { watch } from 'vue'
import { FLAGS, LiveColumns } from './live'

const packed = (array: ArrayBufferView) => btoa(String.fromCharCode(...new Uint8Array(array.buffer)))

function block(readAt: string) {
  return {
    now: Date.parse(readAt) / 1000,
    rack: 1,
    scan: 3,
    seq: 7,
    read_at: readAt,
    state: 'answers',
    says: '',
    points: packed(new BigInt64Array([1n, 2n])),
    counts: packed(new Float64Array([16000, Number.NaN])),
    value: packed(new Float64Array([250, Number.NaN])),
    quality: packed(new Uint8Array([0, 2])),
    reasons: packed(new Uint32Array([0, 8192])),
    injected: packed(new Uint8Array([1, 0])),
    switch: packed(new Int8Array([-1, 1])),
    flags: packed(new Uint8Array([1, 8])),
    alarm: packed(new Uint8Array([0, (3 << 4) | 1])),
    band: packed(new Int8Array([2, -1])),
    meters: packed(new BigInt64Array([2n])),
    counted: packed(new Float64Array([7])),
    total: packed(new Float64Array([0.7])),
    rate: packed(new Float64Array([0.1])),
    shown: packed(new Float64Array([Number.NaN, Number.NaN])),
  }
}

test('packed arrays are unpacked to the digit', () => {
  const live = new LiveColumns()
  live.take(block('2026-05-04T12:00:00Z'))
  expect(live.at(1)).toMatchObject({ value: 250, counts: 16000, quality: 'good', injected: true, seq: 7 })
  expect(live.at(2)?.quality).toBe('bad')
  expect(live.at(3)).toBeUndefined()
})

test('states, flags, the worst alarm and counters come with a reading', () => {
  const live = new LiveColumns()
  let told = 0
  const stop = live.onBlock((rack) => (told = rack))
  live.take(block('2026-05-04T12:00:00Z'))
  expect(live.at(1)).toMatchObject({ state: -1, band: 2, alarm: 0, flags: FLAGS.injected })
  expect(live.at(2)).toMatchObject({ state: 1, alarm: 1, priority: 3, flags: FLAGS.latched, reasons: 8192 })
  expect(live.meter(2)).toEqual({ counted: 7, total: 0.7, rate: 0.1 })
  expect(live.meter(1)).toBeUndefined()
  expect(told).toBe(1)
  stop()
  told = 0
  live.take(block('2026-05-04T12:00:01Z'))
  expect(told).toBe(0)
})

test('age is told by server time, not by this machine’s clock', () => {
  const live = new LiveColumns()
  live.take(block(new Date(Date.now() + 60_000 - 3000).toISOString()))
  live.offset = 60_000
  expect(live.age(live.at(1)!)).toBeCloseTo(3, 0)
})

test('the last seconds of a point are remembered, as they were when they were read', () => {
  const live = new LiveColumns()
  for (const second of ['00', '01', '02']) live.take(block(`2026-05-04T12:00:${second}Z`))
  // The rack falls silent: its last reading is told again, bad now.
  live.take({ ...block('2026-05-04T12:00:02Z'), quality: packed(new Uint8Array([2, 2])) })
  const noon = Date.parse('2026-05-04T12:00:00Z') / 1000
  expect(live.lately(1, 1)).toEqual([0, 1, 2].map((s) => ({ t: noon + s, value: 250 })))
  expect(live.lately(1, 2).map((r) => r.value)).toEqual([Number.NaN, Number.NaN, Number.NaN])
  expect([live.lately(1, 9), live.lately(2, 1)]).toEqual([[], []])
  live.take(block('2026-05-04T12:01:00Z'))
  expect(live.lately(1, 1)).toEqual([{ t: noon + 60, value: 250 }])
})

test('the plant’s time is told best by what was shortest on its way, until somebody sets the clock', () => {
  vi.useFakeTimers({ now: 1_000_000_000_000 })
  const live = new LiveColumns()
  const plant = () => (Date.now() + 60_000) / 1000
  live.hear(plant() - 0.4)
  live.hear(plant() - 0.05)
  live.hear(plant() - 0.9)
  expect(live.offset).toBeCloseTo(59_950, 3)
  // This machine's clock is set an hour forward, then back again.
  live.hear(plant() - 3600)
  expect(live.offset).toBeCloseTo(60_000 - 3_600_000, 3)
  live.hear(plant())
  expect(live.offset).toBeCloseTo(60_000, 3)
  vi.useRealTimers()
})

test('who looks at one rack is not called when another was read, and is when time has passed', () => {
  const live = new LiveColumns()
  let looked = 0
  const stop = watch(
    () => live.versionOf(1),
    () => looked++,
    { flush: 'sync' },
  )
  live.take({ ...block('2026-05-04T12:00:00Z'), rack: 2 })
  expect(looked).toBe(0)
  live.take(block('2026-05-04T12:00:00Z'))
  expect(looked).toBe(1)
  live.tick()
  expect(looked).toBe(2)
  stop()
})
