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
import SourcePanel from './SourcePanel.vue'

afterEach(cleared)

const SOURCE = {
  why_not: '', unit: 'mA', contact: false, trips: ['PT-3107 shuts the gas'],
  forms: [{ name: 'fixed', says: 'stays' }, { name: 'ramp', says: 'goes evenly' }],
  faults: [{ name: 'open', says: 'a core is off', amount: '', usual: '' }, { name: 'leak', says: 'wet terminals', amount: 'kΩ', usual: '10' }],
} // prettier-ignore
const PUT = 'PUT /api/points/{point}/injection'

async function panel(source: object = {}, answers: Record<string, unknown> = {}, rights?: string[]) {
  plantOf(rights)
  const asked = answering({
    'GET /api/points/{point}/source': { ...SOURCE, ...source },
    [PUT]: { ok: true },
    ...answers,
  })
  const box = await mounted(SourcePanel, { point: 11 })
  await settled()
  return { asked, box }
}
const put = (asked: { way: string; body: unknown }[]) =>
  asked.filter((one) => one.way === 'PUT').map((one) => one.body)
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('what the point can trip stands above what is put on', async () => {
  const { box, asked } = await panel()
  expect(flat(box)).toContain('▲ PT-3107 shuts the gas')
  await typed(field(box, 'signal'), '12')
  await sent(box)
  await settled()
  expect(put(asked)).toEqual([{ text: '12', form: 'fixed', high: '', period_s: 10, faults: [] }])
  expect(flat(box)).toContain('12 mA is on the terminals')
  button(box, 'take off')!.click()
  await settled()
  expect(put(asked).at(-1)).toEqual({ text: '' })
})

test('a contact is closed and opened', async () => {
  const { box, asked } = await panel({ contact: true, unit: '' })
  button(box, 'closed')!.click()
  await settled()
  button(box, 'open')!.click()
  await settled()
  expect(put(asked)).toEqual([{ text: 'closed' }, { text: 'open' }])
})

test('a signal that cannot be is refused in words and stays in the field', async () => {
  const { box } = await panel({}, { [PUT]: '40 mA is more than the source gives' })
  await typed(field(box, 'signal'), '40')
  await sent(box)
  await settled()
  expect(flat(box)).toContain('40 mA is more than the source gives')
  expect(field(box, 'signal').value).toBe('40')
})

test('who may not, and where there is no stand-in, is told why', async () => {
  const real = await panel({ why_not: 'the rack is a real one: put the signal on with a calibrator' })
  expect(flat(real.box)).toContain('put the signal on with a calibrator')
  cleared()
  const reader = await panel({}, {}, ['look', 'read'])
  expect(flat(reader.box)).toContain('a reader puts nothing on terminals')
  expect(button(reader.box, 'put on')).toBeUndefined()
})
