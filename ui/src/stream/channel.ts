/**
 * One stream for all tabs of a browser: read by fetch, with our own retry for 401, 503 and sleep.
 *
 * It runs in a SharedWorker where there is one, else in the page; either way screens talk to it by messages.
 */
import { EventSplitter, type StreamEvent } from './events'

export type ToChannel =
  | { kind: 'join'; since: number; racks: number[]; points?: number[]; stations?: number[] }
  | { kind: 'racks'; racks: number[]; points?: number[]; stations?: number[] }
  | { kind: 'leave' }
export type FromChannel =
  { kind: 'event'; event: StreamEvent } | { kind: 'link'; up: boolean; signedOut: boolean }

export interface Listener {
  postMessage(message: FromChannel): void
}

const LONGEST_LOG = 2000
const SILENCE_MS = 15_000
const SETTLE_MS = 250
const MOST_POINTS = 16
const MOST_STATIONS = 200
const WHOLES = new Set<StreamEvent['name']>(['alarms', 'temporary', 'locks', 'room', 'standby'])

export class Channel {
  private listeners = new Map<Listener, Record<'racks' | 'points' | 'stations', Set<number>>>()
  private seq = 0
  private log: { seq: number; event: StreamEvent }[] = []
  private logFrom = 0
  private blocks = new Map<number, StreamEvent>()
  /** The newest of each event that tells a state as a whole: a screen that comes later needs it too. */
  private wholes = new Map<StreamEvent['name'], StreamEvent>()
  private abort: AbortController | undefined
  private opened = ''
  private wait = 500
  private timer: ReturnType<typeof setTimeout> | undefined
  private up = false

  constructor(private readonly fetcher: typeof fetch = (...args) => fetch(...args)) {}

  hear(listener: Listener, message: ToChannel): void {
    if (message.kind === 'leave') {
      this.listeners.delete(listener)
      if (this.listeners.size === 0) this.close()
      return
    }
    this.listeners.set(listener, {
      racks: new Set(message.racks),
      points: new Set(message.points),
      stations: new Set(message.stations),
    })
    if (message.kind === 'join') this.welcome(listener, message.since)
    this.reopen()
  }

  /** Bring a new screen level: replay what it missed, from the log or from the server. */
  private welcome(listener: Listener, since: number): void {
    if (this.seq === 0) {
      this.seq = this.logFrom = since
    } else if (since < this.logFrom) {
      // The server replays from there; screens that have more leave out what they know.
      this.seq = this.logFrom = since
      this.log = []
      this.opened = 'again'
    } else {
      for (const { seq, event } of this.log) if (seq > since) listener.postMessage({ kind: 'event', event })
    }
    for (const event of this.wholes.values()) listener.postMessage({ kind: 'event', event })
    for (const event of this.blocks.values()) listener.postMessage({ kind: 'event', event })
    listener.postMessage({ kind: 'link', up: this.up, signedOut: false })
  }

  /** What all screens want, as the stream's address says it. */
  private wanted(): string {
    const of = (kind: 'racks' | 'points' | 'stations') =>
      [...new Set([...this.listeners.values()].flatMap((wish) => [...wish[kind]]))].sort((a, b) => a - b)
    const points = of('points').slice(0, MOST_POINTS).join(',')
    const stations = of('stations').slice(0, MOST_STATIONS).join(',')
    return `racks=${of('racks').join(',')}${points ? `&points=${points}` : ''}${stations ? `&stations=${stations}` : ''}`
  }

  private reopen(): void {
    clearTimeout(this.timer)
    this.timer = setTimeout(() => {
      if (this.abort && this.opened === this.wanted()) return
      this.abort?.abort()
      void this.run()
    }, SETTLE_MS)
  }

  private close(): void {
    clearTimeout(this.timer)
    this.abort?.abort()
    this.abort = undefined
    this.opened = ''
  }

  private async run(): Promise<void> {
    const abort = (this.abort = new AbortController())
    this.opened = this.wanted()
    let signedOut = false
    try {
      const answer = await this.fetcher(`/api/stream?since=${this.seq}&${this.opened}`, {
        signal: abort.signal,
        cache: 'no-store',
      })
      signedOut = answer.status === 401
      if (answer.ok && answer.body) {
        this.link(true)
        this.wait = 500
        await this.read(answer.body, abort)
      }
    } catch {
      // A lost server, a sleeping laptop, an abort of our own: all end here and are tried again below.
    }
    if (this.abort !== abort) return
    this.abort = undefined
    this.link(false, signedOut)
    if (this.listeners.size === 0 || signedOut) return
    this.timer = setTimeout(() => void this.run(), this.wait)
    this.wait = Math.min(this.wait * 2, 5000)
  }

  private async read(body: ReadableStream<Uint8Array>, abort: AbortController): Promise<void> {
    const reader = body.getReader()
    const decoder = new TextDecoder()
    const splitter = new EventSplitter()
    for (;;) {
      const silence = setTimeout(() => abort.abort(), SILENCE_MS)
      const { done, value } = await reader.read()
      clearTimeout(silence)
      if (done || abort.signal.aborted) return
      for (const event of splitter.feed(decoder.decode(value, { stream: true }))) this.take(event)
    }
  }

  private take(event: StreamEvent): void {
    if (event.name === 'change') {
      const { seq } = event.data
      if (seq <= this.seq) return
      this.seq = seq
      this.log.push({ seq, event })
      if (this.log.length > LONGEST_LOG) this.logFrom = this.log.shift()!.seq
    } else if (event.name === 'live') {
      this.blocks.set(event.data.rack, event)
    } else if (WHOLES.has(event.name)) {
      this.wholes.set(event.name, event)
    } else if (event.name === 'reload') {
      this.seq = this.logFrom = event.data.seq || this.seq
      this.log = []
    }
    for (const listener of this.listeners.keys()) listener.postMessage({ kind: 'event', event })
  }

  private link(up: boolean, signedOut = false): void {
    this.up = up
    for (const listener of this.listeners.keys()) listener.postMessage({ kind: 'link', up, signedOut })
  }
}
