/** Live values as plain columns beside the list. A block of a rack overwrites the values of its points. */
import { shallowRef } from 'vue'

export interface BlockEvent {
  rack: number
  scan: number
  seq: number
  read_at: string
  state: string
  points: string
  counts: string
  value: string
  quality: string
  reasons: string
  injected: string
}

export const QUALITIES = ['good', 'doubtful', 'bad', 'none'] as const
export type QualityName = (typeof QUALITIES)[number]

export interface Reading {
  value: number
  counts: number
  quality: QualityName
  injected: boolean
  /** When the registers were read, server time, in ms. */
  readAt: number
  rack: number
  /** The list that it was worked out with. */
  seq: number
}

function bytes(base64: string): ArrayBuffer {
  const text = atob(base64)
  const out = new Uint8Array(text.length)
  for (let i = 0; i < text.length; i++) out[i] = text.charCodeAt(i)
  return out.buffer
}

export class LiveColumns {
  private readonly changes = shallowRef(0)
  /** Server time minus this browser's, in ms. */
  offset = 0
  states = new Map<number, string>()
  private readings = new Map<number, Reading>()

  /** Grows with each reading and each tick; the one thing here that Vue watches. */
  get version(): number {
    return this.changes.value
  }

  take(block: BlockEvent): void {
    const points = new BigInt64Array(bytes(block.points))
    const counts = new Float64Array(bytes(block.counts))
    const value = new Float64Array(bytes(block.value))
    const quality = new Uint8Array(bytes(block.quality))
    const injected = new Uint8Array(bytes(block.injected))
    const readAt = Date.parse(block.read_at)
    points.forEach((point, i) => {
      this.readings.set(Number(point), {
        value: value[i]!,
        counts: counts[i]!,
        quality: QUALITIES[quality[i]!] ?? 'none',
        injected: injected[i] === 1,
        readAt,
        rack: block.rack,
        seq: block.seq,
      })
    })
    this.states.set(block.rack, block.state)
    this.changes.value++
  }

  at(point: number): Reading | undefined {
    return this.readings.get(point)
  }

  /** How old a reading is, in seconds, by server time. */
  age(reading: Reading): number {
    return Math.max(0, (Date.now() + this.offset - reading.readAt) / 1000)
  }

  /** Tell the screens that time has passed, so that what went stale shows it. */
  tick(): void {
    this.changes.value++
  }
}
