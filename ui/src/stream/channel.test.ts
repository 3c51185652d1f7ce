import { Channel, type FromChannel } from './channel'
import { EventSplitter } from './events'

const text = (name: string, data: unknown) => `event: ${name}\ndata: ${JSON.stringify(data)}\n\n`

test('events are whole however their bytes are cut', () => {
  const all = text('change', { seq: 1 }) + text('live', { rack: 2 })
  for (let cut = 1; cut < all.length; cut += 7) {
    const splitter = new EventSplitter()
    const events = [...splitter.feed(all.slice(0, cut)), ...splitter.feed(all.slice(cut))]
    expect(events).toEqual([
      { name: 'change', data: { seq: 1 } },
      { name: 'live', data: { rack: 2 } },
    ])
  }
})

/** A server whose streams the test writes to. */
class Server {
  urls: string[] = []
  private writers: ReadableStreamDefaultController<Uint8Array>[] = []
  status = 200

  fetch = ((url: string) => {
    this.urls.push(url)
    const body = new ReadableStream<Uint8Array>({ start: (controller) => void this.writers.push(controller) })
    return Promise.resolve(new Response(this.status === 200 ? body : null, { status: this.status }))
  }) as unknown as typeof fetch

  async say(name: string, data: unknown) {
    this.writers.at(-1)!.enqueue(new TextEncoder().encode(text(name, data)))
    await vi.advanceTimersByTimeAsync(1)
  }

  async cut() {
    this.writers.at(-1)!.close()
    await vi.advanceTimersByTimeAsync(1)
  }
}

class Tab {
  heard: FromChannel[] = []
  postMessage = (message: FromChannel) => void this.heard.push(message)
  get changes(): number[] {
    return this.heard.flatMap((m) =>
      m.kind === 'event' && m.event.name === 'change' ? [(m.event.data as { seq: number }).seq] : [],
    )
  }
}

beforeEach(() => void vi.useFakeTimers())
afterEach(() => void vi.useRealTimers())

test('many tabs share one stream, and a late one misses nothing', async () => {
  const server = new Server()
  const channel = new Channel(server.fetch)
  const [first, second] = [new Tab(), new Tab()]
  channel.hear(first, { kind: 'join', since: 5, racks: [1] })
  await vi.advanceTimersByTimeAsync(300)
  await server.say('change', { seq: 6 })
  await server.say('change', { seq: 7 })
  channel.hear(second, { kind: 'join', since: 6, racks: [1] })
  await vi.advanceTimersByTimeAsync(300)
  expect(server.urls).toEqual(['/api/stream?since=5&racks=1'])
  expect(first.changes).toEqual([6, 7])
  expect(second.changes).toEqual([7])
})

test('a lost stream is taken up again where it broke off, later each time', async () => {
  const server = new Server()
  const channel = new Channel(server.fetch)
  const tab = new Tab()
  channel.hear(tab, { kind: 'join', since: 0, racks: [] })
  await vi.advanceTimersByTimeAsync(300)
  await server.say('change', { seq: 3 })
  await server.cut()
  expect(tab.heard.at(-1)).toEqual({ kind: 'link', up: false, signedOut: false })
  await vi.advanceTimersByTimeAsync(600)
  expect(server.urls.at(-1)).toBe('/api/stream?since=3&racks=')
  server.status = 503
  await server.cut()
  await vi.advanceTimersByTimeAsync(600)
  const tries = server.urls.length
  await vi.advanceTimersByTimeAsync(600)
  expect(server.urls.length).toBe(tries)
  await vi.advanceTimersByTimeAsync(600)
  expect(server.urls.length).toBe(tries + 1)
})

test('signed out, it tells every tab and stops asking', async () => {
  const server = new Server()
  server.status = 401
  const tab = new Tab()
  new Channel(server.fetch).hear(tab, { kind: 'join', since: 0, racks: [] })
  await vi.advanceTimersByTimeAsync(20_000)
  expect(server.urls.length).toBe(1)
  expect(tab.heard.at(-1)).toEqual({ kind: 'link', up: false, signedOut: true })
})

test('a tab that holds an older list makes the server replay from there', async () => {
  const server = new Server()
  const channel = new Channel(server.fetch)
  channel.hear(new Tab(), { kind: 'join', since: 50, racks: [1] })
  await vi.advanceTimersByTimeAsync(300)
  channel.hear(new Tab(), { kind: 'join', since: 40, racks: [1] })
  await vi.advanceTimersByTimeAsync(300)
  expect(server.urls.at(-1)).toBe('/api/stream?since=40&racks=1')
})

test('a screen that comes later learns what stands as a whole, such as open alarms and a full disk', async () => {
  const server = new Server()
  const channel = new Channel(server.fetch)
  const [first, second] = [new Tab(), new Tab()]
  channel.hear(first, { kind: 'join', since: 5, racks: [1] })
  await vi.advanceTimersByTimeAsync(300)
  await server.say('alarms', { alarms: [], all: 0, waiting: 0 })
  await server.say('room', { says: 'the disk is full', remedy: 'make room' })
  await server.say('room', { says: '', remedy: '' })
  channel.hear(second, { kind: 'join', since: 5, racks: [1] })
  const told = second.heard.flatMap((m) => (m.kind === 'event' ? [m.event] : []))
  expect(told.map((e) => e.name)).toEqual(['alarms', 'room'])
  expect(told[1]!.data).toEqual({ says: '', remedy: '' })
})

test('the points whose six stations are shown come with the stream, and letting them go opens it anew', async () => {
  const server = new Server()
  const channel = new Channel(server.fetch)
  const tab = new Tab()
  channel.hear(tab, { kind: 'join', since: 5, racks: [1], stations: [9, 4] })
  await vi.advanceTimersByTimeAsync(300)
  expect(server.urls.at(-1)).toBe('/api/stream?since=5&racks=1&stations=4,9')
  channel.hear(tab, { kind: 'racks', racks: [1], stations: [] })
  await vi.advanceTimersByTimeAsync(300)
  expect(server.urls.at(-1)).toBe('/api/stream?since=5&racks=1')
})
