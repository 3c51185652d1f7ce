import { afterEach, expect, test } from 'vitest'
import {
  answering,
  button,
  cleared,
  field,
  mounted,
  plantOf,
  sent,
  settled,
  typed,
} from '../../testing/mounted'
import PointNow from './PointNow.vue'

afterEach(cleared)

const alarm = (kind: string, state: string, more = {}) => ({
  point: 11, kind, state, active: true, priority: 'high', since: '2026-11-30T04:00:00Z', raised: null, who: '', why: '',
  until: null, value: 480, ...more,
}) // prettier-ignore
const ADVICE = { point: 11, faults: [], latched: false, band: '', lamp: '', shown: null, difference: null, load_ma: null, expected_ma: null } // prettier-ignore

async function now(answers: Record<string, unknown> = {}, rights?: string[]) {
  const plant = plantOf(rights)
  plant.list.show([[11, 'alarm_says', 'close the main cock']])
  const asked = answering({
    'GET /api/points/{point}/advice': ADVICE,
    'GET /api/trends': { begins: 0, ends: 1, trends: [] },
    'POST /api/alarms/say': { moved: 1 },
    ...answers,
  })
  const box = await mounted(PointNow, { point: 11, page: true })
  await settled()
  return { plant, asked, box }
}
const said = (asked: { path: string; body: unknown }[]) =>
  asked.filter((one) => one.path === '/api/alarms/say').map((one) => one.body)

test('an alarm stands there with what to do, and is acknowledged', async () => {
  const { plant, asked, box } = await now()
  plant.alarms = [alarm('h', 'unacknowledged')] as never
  await settled()
  expect(box.querySelector('.alarm')!.textContent).toContain('unacknowledged')
  expect(box.querySelector('.alarm')!.textContent).toContain('close the main cock')
  button(box, 'acknowledge')!.click()
  await settled()
  expect(said(asked)).toEqual([{ word: 'acknowledge', alarms: [[11, 'h']], why: '', minutes: 0 }])
})

test('an alarm is shelved with a reason and for a time, and out of service wants a reason', async () => {
  const { plant, asked, box } = await now()
  plant.alarms = [alarm('h', 'acknowledged')] as never
  await settled()
  button(box, 'shelve…')!.click()
  await settled()
  expect(button(box, 'out of service')!.hasAttribute('disabled')).toBe(true)
  await typed(field(box, 'why'), 'transmitter is being changed')
  await typed(field(box, 'for'), '30')
  expect(button(box, 'out of service')!.hasAttribute('disabled')).toBe(false)
  await sent(box)
  await settled()
  expect(said(asked)).toEqual([
    { word: 'shelve', alarms: [[11, 'h']], why: 'transmitter is being changed', minutes: 30 },
  ])
  expect(button(box, 'out of service'), 'the form is done').toBeUndefined()
})

test('a word that comes too late is said to have moved nothing', async () => {
  const { plant, box } = await now({ 'POST /api/alarms/say': { moved: 0 } })
  plant.alarms = [alarm('h', 'unacknowledged')] as never
  await settled()
  button(box, 'acknowledge')!.click()
  await settled()
  expect(plant.notice?.text).toBe('nothing to acknowledge here now')
})

test('a reader sees the alarm and has nothing to press', async () => {
  const { plant, box } = await now({}, ['look', 'read'])
  plant.alarms = [alarm('h', 'unacknowledged')] as never
  await settled()
  expect(box.querySelector('.alarm')!.textContent).toContain('unacknowledged')
  expect(button(box, 'acknowledge')).toBeUndefined()
})

test('what is wrong is told with its causes and the next thing to try', async () => {
  const fault = {
    grade: 'bad',
    says: 'the loop is open',
    causes: ['a core is off', 'the fuse'],
    next: 'measure at X1:5',
  }
  const { box } = await now({ 'GET /api/points/{point}/advice': { ...ADVICE, faults: [fault], latched: true }, 'POST /api/faults/reset': {} }) // prettier-ignore
  const told = box.querySelector('.fault')!.textContent!
  expect(told).toContain('■ the loop is open')
  expect(told).toContain('a core is off; or the fuse')
  expect(told).toContain('measure at X1:5')
  expect(button(box, 'reset the fault')).toBeDefined()
})

test('what is held there is told with who, since when and why', async () => {
  const { plant, box } = await now()
  plant.temporary = [
    { id: 3, kind: 'force', point: 11, what: '12 mA', who: 'ben', why: 'loop test', at: '2026-11-30T04:00:00Z', due: null },
  ] as never // prettier-ignore
  await settled()
  const told = box.querySelector('.fault.apart')!.textContent!
  expect(told).toContain('force: 12 mA')
  expect(told).toContain('ben')
  expect(told).toContain('loop test')
})

test('one part is open at a time, and the same press folds it', async () => {
  const { box } = await now({
    'GET /api/points/{point}/noise': 'no reading yet',
    'GET /api/points/{point}/stimuli': 'not here',
    'POST /api/points/{point}/trace': 'not here',
  })
  button(box, 'noise…')!.click()
  await settled()
  expect(button(box, 'again')).toBeDefined()
  button(box, 'trace…')!.click()
  await settled()
  expect(button(box, 'again')).toBeUndefined()
  button(box, 'trace…')!.click()
  await settled()
  expect(box.querySelector('.chip.on')?.textContent?.trim()).toBe('10 min')
})

test('what latches in the module is reset there, and what is written is told before and after', async () => {
  const fault = { says: 'open circuit', grade: 'bad', causes: [], next: '' }
  const { box, asked } = await now({
    'GET /api/points/{point}/advice': { ...ADVICE, faults: [fault], resets: ['coil 4 on'] },
    'POST /api/faults/module-reset': { written: ['coil 4 on'] },
  })
  expect(box.querySelector('.kept')!.textContent).toContain('this writes: coil 4 on')
  button(box, 'reset in the module')!.click()
  await settled()
  expect(asked.at(-1)).toMatchObject({ path: '/api/faults/module-reset', body: { point: 11 } })
})

test('a point without a fault offers no reset', async () => {
  const { box } = await now({ 'GET /api/points/{point}/advice': { ...ADVICE, resets: ['coil 4 on'] } })
  expect(box.querySelector('.kept')).toBeNull()
})
