import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, mounted, plantOf, settled } from '../testing/mounted'
import LearnPage from './LearnPage.vue'

afterEach(cleared)

const station = (name: string, more: object = {}) => ({
  name, figure: '250', unit: 'mbar', healthy: '250 mbar', differs: false, formula: '', figures: '', ...more,
}) // prettier-ignore
const OFFER = { name: 'open', says: 'break the wire', station: 'LOOP', amount: '', usual: '' }
const LEARN = {
  stations: [station('PROCESS'), station('LOOP', { figure: '12.00', unit: 'mA' }), station('VALUE')],
  offers: [OFFER], quality: 'good', faults: [], causes: [], next: '', alarms: [{ name: 'high', number: 0, state: 'normal' }],
  limit: '400 mbar', keep: { state: [0, 0], active: [false, false] },
} // prettier-ignore
const BROKEN = {
  ...LEARN, quality: 'bad', faults: ['the current is below 3.6 mA'], causes: ['a core is off'], next: 'measure at X1:5',
  stations: [station('PROCESS'), station('LOOP', { figure: '0.00', unit: 'mA', differs: true, healthy: '12.00 mA' }), station('VALUE')],
  alarms: [{ name: 'high', number: 1, state: 'unacknowledged' }], keep: { state: [1, 0], active: [true, false] },
} // prettier-ignore

async function page() {
  plantOf()
  const asked = answering({
    'POST /api/learn': (body: { faults: unknown[] }) => (body.faults.length ? BROKEN : LEARN),
  })
  const box = await mounted(LearnPage)
  await settled()
  return { asked, box }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('a broken wire is told with its cause and what to measure, and mended again', async () => {
  const { box, asked } = await page()
  expect(flat(box)).toContain('nothing is wrong')
  button(box, 'break the wire')!.click()
  await settled()
  expect(asked.at(-1)!.body).toMatchObject({ faults: [{ kind: 'open', amount: '' }] })
  expect(flat(box)).toContain('■ the current is below 3.6 mA')
  expect(flat(box)).toContain('likely: a core is off')
  expect(flat(box)).toContain('next: measure at X1:5')
  expect(flat(box)).toContain('▲ healthy: 12.00 mA')
  button(box, '◇ break the wire')!.click()
  await settled()
  expect(flat(box)).toContain('nothing is wrong')
})

test('an alarm is acknowledged as the state that it is kept in', async () => {
  const { box, asked } = await page()
  expect(button(box, 'acknowledge')!.disabled).toBe(true)
  button(box, 'break the wire')!.click()
  await settled()
  button(box, 'acknowledge')!.click()
  await settled()
  expect(asked.at(-1)!.body).toMatchObject({
    word: 'acknowledge',
    alarms: { state: [1, 0], active: [true, false] },
  })
})

test('another loop begins healthy', async () => {
  const { box, asked } = await page()
  button(box, 'break the wire')!.click()
  await settled()
  button(box, 'dryer Pt100')!.click()
  await settled()
  expect(asked.at(-1)!.body).toMatchObject({ loop: 'dryer Pt100', faults: [] })
})
