/** The SharedWorker: one channel, one port a tab. */
import { Channel, type ToChannel } from './channel'

const channel = new Channel()

;(self as unknown as SharedWorkerGlobalScope).onconnect = (connection) => {
  const port = connection.ports[0]!
  port.onmessage = (message: MessageEvent<ToChannel>) => channel.hear(port, message.data)
}
