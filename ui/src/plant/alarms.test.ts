import { byUrgency, latched, putAside, shapeOf, waits } from './alarms'
import type { OpenAlarm } from './store'

const alarm = (state: string, priority = 'low', since = '2026-11-27T12:00:00Z'): OpenAlarm => ({
  point: 1,
  kind: 'h',
  state,
  active: true,
  priority,
  since,
  raised: since,
  who: '',
  why: '',
  until: null,
  value: 1,
})

test('what waits for somebody stands before what was seen, and the urgent before the rest', () => {
  const order = [
    alarm('shelved', 'high'),
    alarm('acknowledged', 'high'),
    alarm('returned, unacknowledged', 'high'),
    alarm('unacknowledged', 'low'),
    alarm('unacknowledged', 'high'),
    alarm('unacknowledged', 'high', '2026-11-27T13:00:00Z'),
  ].sort(byUrgency)
  expect(order.map((a) => `${a.state} ${a.priority} ${a.since.slice(11, 13)}`)).toEqual([
    'unacknowledged high 13',
    'unacknowledged high 12',
    'unacknowledged low 12',
    'returned, unacknowledged high 12',
    'acknowledged high 12',
    'shelved high 12',
  ])
})

test('every state of the standard has a shape of its own, so that colour never says it alone', () => {
  const states = [
    'unacknowledged',
    'acknowledged',
    'returned, unacknowledged',
    'latched, unacknowledged',
    'latched, acknowledged',
    'shelved',
    'suppressed by design',
    'out of service',
  ]
  expect(new Set(states.map((s) => shapeOf(alarm(s)).sign)).size).toBe(states.length)
  expect(states.filter((s) => waits(alarm(s)))).toHaveLength(3)
  expect(states.filter((s) => latched(alarm(s)))).toHaveLength(2)
  expect(states.filter((s) => putAside(alarm(s)))).toHaveLength(3)
})
