import { afterEach, beforeEach, expect, test } from 'vitest'
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
import InstrumentFields from './InstrumentFields.vue'
import InstrumentsPanel from './InstrumentsPanel.vue'

beforeEach(() => localStorage.clear())
afterEach(cleared)

const RANGE = { unit: 'mA', low: 0, high: 24, of_reading: 0.02, of_span: 0, digits: 2, resolution: 0.001 }
const CAL = { name: 'cal 3', make: 'LC-2', serial: '7731', due: '2999-12', certificate: 'C 11', overdue: false, days: 9000, ranges: [RANGE] } // prettier-ignore
const OLD = { ...CAL, name: 'old', due: '2020-02', overdue: true, days: -2000 }
const ALL = 'GET /api/instruments'
const KEEP = 'PUT /api/instruments/{name}'

async function panel(instruments: object[] = [CAL, OLD], answers: Record<string, unknown> = {}) {
  plantOf()
  const asked = answering({ [ALL]: { instruments }, ...answers })
  const box = await mounted(InstrumentsPanel)
  await settled()
  return { box, asked }
}

test('each instrument stands there with how long its calibration holds, an overdue one marked', async () => {
  const { box } = await panel()
  const rows = [...box.querySelectorAll('li')].map((row) => row.textContent)
  expect(rows[0]).toContain('due 2999-12')
  expect(rows[0]).not.toContain('▲')
  expect(rows[1]).toContain('▲ overdue since 2020-02')
})

test('a new one is kept with its ranges, figures with either decimal sign', async () => {
  const { box, asked } = await panel([], { [KEEP]: { applied: true } })
  expect(box.textContent).toContain('None is kept yet')
  button(box, 'another instrument')!.click()
  await settled()
  await typed(field(box, 'name'), 'cal 4')
  await typed(field(box, 'calibrated until'), '2027-03')
  await typed(field(box, '% of reading of range 1'), '0,02')
  await typed(field(box, 'digits of range 1'), '2')
  await typed(field(box, 'one digit is of range 1'), '0.001')
  await sent(box)
  await settled()
  const body = asked.find((one) => one.way === 'PUT')!.body
  expect(body).toMatchObject({ becomes: 'cal 4', due: '2027-03', ranges: [RANGE] })
  expect(box.querySelector('form')).toBeNull()
})

test('what is no figure is told at once, and what is refused stays open with what was typed', async () => {
  const { box, asked } = await panel([CAL], { [KEEP]: 'a range goes from a low end to a higher one' })
  button(box, 'cal 3')!.click()
  await settled()
  await typed(field(box, 'to of range 1'), 'twenty')
  await sent(box)
  await settled()
  expect(box.textContent).toContain('“twenty” is no figure for to')
  expect(asked.some((one) => one.way === 'PUT')).toBe(false)
  await typed(field(box, 'to of range 1'), '-5')
  await sent(box)
  await settled()
  expect(box.textContent).toContain('a range goes from a low end to a higher one')
  expect(field(box, 'to of range 1').value).toBe('-5')
})

test('the fields of a check take a known one with its serial and day, and say when it is overdue', async () => {
  plantOf()
  answering({ [ALL]: { instruments: [CAL, OLD] } })
  const given: object[] = []
  const props = { modelValue: { instrument: 'old', serial: '1', due: '2020-02' }, 'onUpdate:modelValue': (v: object) => given.push(v) } // prettier-ignore
  const box = await mounted(InstrumentFields, props)
  await settled()
  expect(box.textContent).toContain('overdue since 2020-02')
  expect(box.querySelector('[aria-label="due"]'), 'its own day counts').toBeNull()
})

test('without any kept, the instrument is typed', async () => {
  plantOf()
  answering({ [ALL]: { instruments: [] } })
  const box = await mounted(InstrumentFields, { modelValue: { instrument: '', serial: '', due: '' } })
  await settled()
  expect(field(box, 'instrument')).toBeTruthy()
  expect(box.querySelector('[aria-label="which instrument"]')).toBeNull()
})
