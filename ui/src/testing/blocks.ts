/** What a rack sends with a scan, for tests: the readings of some points, all else as it is in a plant without trouble. */
import type { BlockEvent } from '../plant/live'

const packed = (array: ArrayBufferView) => btoa(String.fromCharCode(...new Uint8Array(array.buffer)))

interface Read {
  point: number
  counts?: number
  value?: number
  /** 0 good, 1 doubtful, 2 bad. */
  quality?: number
}

/** rack 1; at: ms since 1970. */
export function blockOf(reads: readonly Read[], at = Date.now()): BlockEvent {
  const of = <T>(give: (read: Read) => T) => reads.map(give)
  return {
    now: at / 1000,
    rack: 1,
    scan: 1,
    seq: 5,
    read_at: new Date(at).toISOString(),
    state: 'answers',
    says: '',
    points: packed(new BigInt64Array(of((r) => BigInt(r.point)))),
    counts: packed(new Float64Array(of((r) => r.counts ?? 0))),
    value: packed(new Float64Array(of((r) => r.value ?? 0))),
    quality: packed(new Uint8Array(of((r) => r.quality ?? 0))),
    reasons: packed(new Uint32Array(reads.length)),
    injected: packed(new Uint8Array(reads.length)),
    switch: packed(new Int8Array(of(() => -1))),
    flags: packed(new Uint8Array(reads.length)),
    alarm: packed(new Uint8Array(reads.length)),
    band: packed(new Int8Array(of(() => -1))),
    meters: packed(new BigInt64Array(0)),
    counted: packed(new Float64Array(0)),
    total: packed(new Float64Array(0)),
    rate: packed(new Float64Array(0)),
    shown: packed(new Float64Array(of(() => Number.NaN))),
  }
}
