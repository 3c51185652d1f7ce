/** Alarms in the words and shapes of the screens. The states themselves are the server's. */
import type { OpenAlarm } from './store'

const SHORT: Record<string, string> = {
  ll: 'LL',
  l: 'L',
  h: 'H',
  hh: 'HH',
  dev: 'deviation',
  rate: 'rate',
  state: 'state',
  fault: 'signal',
}

export interface Shape {
  sign: string
  /** The state in one or two words. */
  short: string
  tone: 'bad' | 'seen' | 'over' | 'aside'
  rank: number
}

/** By the state's words: filled waits for somebody, an outline was seen, dashed is over, grey is suppressed. */
const SHAPES: Record<string, Shape> = {
  unacknowledged: { sign: '■', short: 'new', tone: 'bad', rank: 8 },
  'latched, unacknowledged': { sign: '◧', short: 'latched, new', tone: 'over', rank: 7 },
  'returned, unacknowledged': { sign: '◪', short: 'over, not seen', tone: 'over', rank: 6 },
  acknowledged: { sign: '□', short: 'seen', tone: 'seen', rank: 5 },
  'latched, acknowledged': { sign: '◨', short: 'latched', tone: 'over', rank: 4 },
  shelved: { sign: '▽', short: 'shelved', tone: 'aside', rank: 3 },
  'suppressed by design': { sign: '▿', short: 'quiet by design', tone: 'aside', rank: 2 },
  'out of service': { sign: '✕', short: 'out of service', tone: 'aside', rank: 1 },
}
/** The alarm of a rack itself has the rack's number, negative, in the place of a point. */
export const rackOf = (alarm: { point: number }) => (alarm.point < 0 ? -alarm.point : 0)
export const alarmName = (alarm: { point: number; kind: string }) =>
  rackOf(alarm) ? 'rack lost' : kindShort(alarm.kind)
const PRIORITIES = ['journal only', 'low', 'medium', 'high']

export const kindShort = (kind: string) => SHORT[kind] ?? kind
export const shapeOf = (alarm: OpenAlarm): Shape =>
  SHAPES[alarm.state] ?? { sign: '·', short: alarm.state, tone: 'aside', rank: 0 }
export const waits = (alarm: OpenAlarm) => /unacknowledged/.test(alarm.state)
export const latched = (alarm: OpenAlarm) => alarm.state.startsWith('latched')
export const putAside = (alarm: OpenAlarm) => shapeOf(alarm).tone === 'aside'
export const weight = (priority: string) => PRIORITIES.indexOf(priority)

/** Those that wait for somebody first, the more urgent before, the newer before. */
export function byUrgency(a: OpenAlarm, b: OpenAlarm): number {
  return (
    shapeOf(b).rank - shapeOf(a).rank ||
    weight(b.priority) - weight(a.priority) ||
    b.since.localeCompare(a.since)
  )
}
