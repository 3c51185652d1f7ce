/** Live values as plain columns beside the list. A block of a rack overwrites the values of its points. */
import { shallowRef, type ShallowRef } from 'vue'

export interface BlockEvent {
  /** The plant's time when this was told, s. */
  now: number
  rack: number
  scan: number
  seq: number
  read_at: string
  /** "answers", or in which way it does not. */
  state: string
  /** Why it does not answer, for people. */
  says: string
  points: string
  counts: string
  value: string
  quality: string
  reasons: string
  injected: string
  switch: string
  flags: string
  alarm: string
  band: string
  meters: string
  counted: string
  total: string
  rate: string
  shown: string
}

export const FLAGS = {
  injected: 1,
  forced: 2,
  chatters: 4,
  latched: 8,
  substituted: 16,
  done: 32,
} as const

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
  /** Bits of what the value is not good for; words for them come from the server. */
  reasons: number
  /** 0, 1, or -1 where there is no state. */
  state: number
  flags: number
  /** Of the worst alarm: its state (0 for none) and its priority, counted from 1. */
  alarm: number
  priority: number
  band: number
}

/** What a point has counted: edges or pulses, what they stand for, and how much a second. */
export interface Meter {
  counted: number
  total: number
  rate: number
}

interface Heard {
  readAt: number
  points: BigInt64Array
  value: Float64Array
  quality: Uint8Array
}

const LATELY_MS = 15_000
const CLOCK_SET_MS = 3000
const DOUBTFUL = QUALITIES.indexOf('doubtful')

function bytes(base64: string): ArrayBuffer {
  const text = atob(base64)
  const out = new Uint8Array(text.length)
  for (let i = 0; i < text.length; i++) out[i] = text.charCodeAt(i)
  return out.buffer
}

export class LiveColumns {
  private readonly changes = shallowRef(0)
  /** The plant's time minus this browser's, in ms. */
  offset = Number.NEGATIVE_INFINITY
  /** What each rack said last: when it was read, server time in ms, and whether it answers, in words. */
  racks = new Map<number, { readAt: number; state: string; says: string }>()
  private readings = new Map<number, Reading>()
  /** The blocks of the last seconds of each rack, oldest first: what the scan writes into trends only then. */
  private blocks = new Map<number, Heard[]>()
  private meters = new Map<number, Meter>()
  private heard: ((rack: number) => void)[] = []

  /** Grows with each reading and each tick; the one thing here that Vue watches. */
  get version(): number {
    return this.changes.value
  }

  private readonly rackChanges = new Map<number, ShallowRef<number>>()
  /** Grows with each reading of one rack and each tick: who shows a point need not look when another rack was read. */
  versionOf(rack: number): number {
    let version = this.rackChanges.get(rack)
    if (!version) this.rackChanges.set(rack, (version = shallowRef(0)))
    return version.value
  }

  take(block: BlockEvent): void {
    const points = new BigInt64Array(bytes(block.points))
    const counts = new Float64Array(bytes(block.counts))
    const value = new Float64Array(bytes(block.value))
    const quality = new Uint8Array(bytes(block.quality))
    const injected = new Uint8Array(bytes(block.injected))
    const reasons = new Uint32Array(bytes(block.reasons))
    const state = new Int8Array(bytes(block.switch))
    const flags = new Uint8Array(bytes(block.flags))
    const alarm = new Uint8Array(bytes(block.alarm))
    const band = new Int8Array(bytes(block.band))
    const readAt = Date.parse(block.read_at)
    this.remember(block.rack, { readAt, points, value, quality })
    points.forEach((point, i) => {
      this.readings.set(Number(point), {
        value: value[i]!,
        counts: counts[i]!,
        quality: QUALITIES[quality[i]!] ?? 'none',
        injected: injected[i] === 1,
        readAt,
        rack: block.rack,
        seq: block.seq,
        reasons: reasons[i]!,
        state: state[i]!,
        flags: flags[i]!,
        alarm: alarm[i]! & 15,
        priority: alarm[i]! >> 4,
        band: band[i]!,
      })
    })
    this.takeMeters(block)
    this.racks.set(block.rack, { readAt, state: block.state, says: block.says })
    this.changes.value++
    const own = this.rackChanges.get(block.rack)
    if (own) own.value++
    for (const tell of this.heard) tell(block.rack)
  }

  /**
   * The plant's time (s) as it has just arrived. What was longest on its way tells least, so that the greatest is kept;
   * if they are all far behind it, somebody has set this machine's clock.
   */
  hear(now: number): void {
    const told = now * 1000 - Date.now()
    if (told > this.offset || this.offset - told > CLOCK_SET_MS) this.offset = told
  }

  /** These racks are told of from now on: what is no longer told of is not lost, it is not asked for. */
  follow(racks: readonly number[]): void {
    for (const rack of this.racks.keys()) if (!racks.includes(rack)) this.racks.delete(rack)
  }

  private remember(rack: number, heard: Heard): void {
    const before = this.blocks.get(rack) ?? []
    // A rack that does not answer tells its last reading again: it was heard when it was read.
    if ((before.at(-1)?.readAt ?? 0) >= heard.readAt) return
    this.blocks.set(rack, [...before.filter((b) => b.readAt > heard.readAt - LATELY_MS), heard])
  }

  /** What was heard of a point in the last seconds, oldest first: times in s, NaN where there was no good value. */
  lately(rack: number, point: number): { t: number; value: number }[] {
    return (this.blocks.get(rack) ?? []).flatMap(({ readAt, points, value, quality }) => {
      const i = points.indexOf(BigInt(point))
      return i < 0 ? [] : [{ t: readAt / 1000, value: quality[i]! <= DOUBTFUL ? value[i]! : Number.NaN }]
    })
  }

  private takeMeters(block: BlockEvent): void {
    const counted = new Float64Array(bytes(block.counted))
    const total = new Float64Array(bytes(block.total))
    const rate = new Float64Array(bytes(block.rate))
    new BigInt64Array(bytes(block.meters)).forEach((point, i) =>
      this.meters.set(Number(point), { counted: counted[i]!, total: total[i]!, rate: rate[i]! }),
    )
  }

  meter(point: number): Meter | undefined {
    return this.meters.get(point)
  }

  /** Be told of each block of a rack; the answer takes it back. */
  onBlock(tell: (rack: number) => void): () => void {
    this.heard.push(tell)
    return () => void (this.heard = this.heard.filter((other) => other !== tell))
  }

  at(point: number): Reading | undefined {
    return this.readings.get(point)
  }

  /** The plant's time now, in ms; this machine's own until it was told. */
  time(): number {
    return Date.now() + (Number.isFinite(this.offset) ? this.offset : 0)
  }

  /** How old a reading is, in seconds, by server time. */
  age(reading: { readAt: number }): number {
    return Math.max(0, (this.time() - reading.readAt) / 1000)
  }

  /** Tell the screens that time has passed, so that what went stale shows it. */
  tick(): void {
    this.changes.value++
    for (const version of this.rackChanges.values()) version.value++
  }
}
