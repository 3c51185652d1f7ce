/** What the server tells over the stream, by name, and how its text is split. Bytes may come cut anywhere. */
import type { Schemas } from '../api/client'
import type { Change } from '../plant/columns'
import type { Person } from '../plant/company'
import type { PointNow } from '../plant/following'
import type { BlockEvent } from '../plant/live'
import type { AlarmsNow } from '../plant/standing'

/** Each event's name and what it carries. */
export interface Told {
  hello: { seq: number; now: number }
  beat: { now: number }
  live: BlockEvent
  change: Change
  reload: { seq: number }
  out: Record<string, never>
  locks: Schemas['LocksOut']
  here: Person
  alarms: AlarmsNow
  temporary: { open: Schemas['EntryOut'][] }
  found: unknown
  point: PointNow
  stations: { stations: [number, (number | null)[]][] }
  room: { says: string; remedy: string }
  standby: { state: string; says: string; remedy: string }
}

export type StreamEvent = { [Name in keyof Told]: { name: Name; data: Told[Name] } }[keyof Told]

/** Who takes which event. */
export type Takes = { [Name in keyof Told]: (data: Told[Name]) => void }

/** Hand an event to who takes it. One of a name that this version does not know is let pass: a newer server told it. */
export function dispatch(event: StreamEvent, takes: Takes): void {
  const take = takes[event.name] as ((data: unknown) => void) | undefined
  take?.(event.data)
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
      return data ? [{ name, data: JSON.parse(data) as unknown } as StreamEvent] : []
    })
  }
}
