/** A screen's end of the stream: through the SharedWorker, or through a channel of its own where there is none. */
import { Channel, type FromChannel, type ToChannel } from './channel'

export interface Connection {
  send(message: ToChannel): void
}

export function connect(heard: (message: FromChannel) => void): Connection {
  if (typeof SharedWorker === 'undefined') {
    const channel = new Channel()
    const listener = { postMessage: heard }
    return { send: (message) => channel.hear(listener, message) }
  }
  const worker = new SharedWorker(new URL('./worker.ts', import.meta.url), {
    type: 'module',
    name: 'canaleta',
  })
  worker.port.onmessage = (message: MessageEvent<FromChannel>) => heard(message.data)
  worker.port.start()
  window.addEventListener('pagehide', () => worker.port.postMessage({ kind: 'leave' } satisfies ToChannel))
  window.addEventListener('pageshow', (event) => event.persisted && location.reload())
  return { send: (message) => worker.port.postMessage(message) }
}
