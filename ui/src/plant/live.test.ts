import { LiveColumns } from './live'

const packed = (array: ArrayBufferView) => btoa(String.fromCharCode(...new Uint8Array(array.buffer)))

function block(readAt: string) {
  return {
    rack: 1,
    scan: 3,
    seq: 7,
    read_at: readAt,
    state: 'answers',
    points: packed(new BigInt64Array([1n, 2n])),
    counts: packed(new Float64Array([16000, Number.NaN])),
    value: packed(new Float64Array([250, Number.NaN])),
    quality: packed(new Uint8Array([0, 2])),
    reasons: packed(new Uint32Array([0, 8192])),
    injected: packed(new Uint8Array([1, 0])),
  }
}

test('packed arrays are unpacked to the digit', () => {
  const live = new LiveColumns()
  live.take(block('2026-05-04T12:00:00Z'))
  expect(live.at(1)).toMatchObject({ value: 250, counts: 16000, quality: 'good', injected: true, seq: 7 })
  expect(live.at(2)?.quality).toBe('bad')
  expect(live.at(3)).toBeUndefined()
})

test('age is told by server time, not by this machine’s clock', () => {
  const live = new LiveColumns()
  live.take(block(new Date(Date.now() + 60_000 - 3000).toISOString()))
  live.offset = 60_000
  expect(live.age(live.at(1)!)).toBeCloseTo(3, 0)
})
