/** Splits a text/event-stream into events. Bytes may come cut anywhere; only whole events are handed on. */
export interface StreamEvent {
  name: string
  data: unknown
}

export class EventSplitter {
  private rest = ''

  /** The whole events in what came so far. */
  feed(text: string): StreamEvent[] {
    const parts = (this.rest + text).split('\n\n')
    this.rest = parts.pop() ?? ''
    return parts.flatMap((part) => {
      let name = 'message'
      let data = ''
      for (const line of part.split('\n')) {
        if (line.startsWith('event: ')) name = line.slice(7)
        else if (line.startsWith('data: ')) data += line.slice(6)
      }
      return data ? [{ name, data: JSON.parse(data) as unknown }] : []
    })
  }
}
