import { afterEach, expect, test } from 'vitest'
import { answering, cleared, mounted, placeNow, plantOf, settled } from '../testing/mounted'
import WiringPage from './WiringPage.vue'

afterEach(cleared)

const CIRCUIT = {
  svg: '<svg><text>X1:5</text></svg>', safe: ['inhibit the trip of the gas valve'], way: ['24 V at terminal 1', 'the transmitter', 'terminal 2'],
  faults: ['two shunts stand in the loop'], words: 'about 12 mA', notes: [],
  readings: [{ meter: 'V DC', where: 'across the shunt', healthy: '1 to 5 V', otherwise: [['0 V', 'no current flows']] }],
  calibrator: 'source mA', steps: ['open the knife terminal X1:5'],
} // prettier-ignore

async function page(answer: unknown) {
  plantOf()
  const asked = answering({ 'GET /api/points/{point}/wiring': answer })
  const routes = [{ path: '/point/:point/wiring', component: WiringPage }]
  const box = await mounted({ template: '<router-view />' }, {}, { at: '/point/11/wiring', routes })
  await settled()
  return { asked, box }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('before anything is lifted stands what is made safe, then the way round, the meter and the calibrator', async () => {
  const { box } = await page(CIRCUIT)
  const text = flat(box)
  const places = ['before anything is lifted', 'the current’s way round', 'the meter', 'the calibrator'].map(
    (part) => text.indexOf(part),
  )
  expect(places.every((place) => place >= 0)).toBe(true)
  expect([...places].sort((a, b) => a - b)).toEqual(places)
  expect(text).toContain('■ two shunts stand in the loop')
  expect(text).toContain('0 V: no current flows')
  expect([...box.querySelectorAll('.two ol')[0]!.children].map((li) => li.textContent)).toEqual(CIRCUIT.way)
  expect(box.querySelector('a[download]')!.getAttribute('href')).toBe('/api/points/11/wiring.svg')
})

test('a point whose wiring is not known says what is missing', async () => {
  const { box } = await page('the signal of the device is not known')
  expect(flat(box)).toContain('the signal of the device is not known')
  expect(box.querySelector('.drawing')).toBeNull()
})

test('Esc leads back to the path', async () => {
  await page(CIRCUIT)
  document.body.dispatchEvent(
    new KeyboardEvent('keydown', { key: 'Escape', bubbles: true, cancelable: true }),
  )
  await settled()
  expect(placeNow()).toBe('/point/11')
})

test('what changes on the list is drawn anew', async () => {
  const plant = plantOf()
  const asked = answering({ 'GET /api/points/{point}/wiring': CIRCUIT })
  await mounted({ template: '<router-view />' }, {}, { at: '/point/11/wiring', routes: [{ path: '/point/:point/wiring', component: WiringPage }] }) // prettier-ignore
  await settled()
  plant.list.show([[11, 'shunt_ohm', '250']])
  await settled()
  expect(asked.length).toBe(2)
})
