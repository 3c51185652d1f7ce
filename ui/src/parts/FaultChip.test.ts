import { afterEach, expect, test, vi } from 'vitest'
import { nextTick } from 'vue'
import { button, cleared, field, mounted, plantOf, sent, typed } from '../testing/mounted'
import FaultChip from './FaultChip.vue'

afterEach(cleared)

const FAULTS = [
  { name: 'open', says: 'a wire is off', amount: '', usual: '', choices: [] },
  { name: 'leads added', says: 'each core has more resistance', amount: 'Ω', usual: '1.5', choices: [] },
  { name: 'wrong sensor', says: 'another element is fitted', amount: 'signal', usual: 'TC J', choices: ['TC J', 'TC K'] },
] // prettier-ignore
const row = (share: number | null, label: string, figure: string) => ({ share, label, figures: [figure] })

async function chip(
  of: { family?: string; process?: string; whatIf?: object | null; faults?: object[] } = {},
) {
  plantOf()
  const given = vi.fn()
  const sheet = { family: of.family ?? 'resistance', faults: of.faults ?? FAULTS, check_points: [row(0, '0', '−50'), row(50, 'half', '75')] } // prettier-ignore
  const path = { stations: [{ figure: of.process ?? '' }] }
  const box = await mounted(FaultChip, { sheet, path, whatIf: of.whatIf ?? null, onGive: given })
  button(box, 'what if wrong…')!.click()
  await nextTick()
  return { box, given }
}

test('a fault without an amount is tried at once, on what is in the pipe now', async () => {
  const { box, given } = await chip({ process: '81.2' })
  button(box, 'a wire is off')!.click()
  expect(given).toHaveBeenCalledWith('PROCESS', '81.2', 'open', '')
})

test('where nothing is read it starts from the middle of the span, by its share and not by its label', async () => {
  const { box, given } = await chip()
  button(box, 'a wire is off')!.click()
  expect(given).toHaveBeenCalledWith('PROCESS', '75', 'open', '')
})

test('a transmitter starts from half its output, a switch from being acted upon', async () => {
  const linear = await chip({ family: 'linear' })
  button(linear.box, 'a wire is off')!.click()
  expect(linear.given).toHaveBeenCalledWith('DEVICE', '50', 'open', '')
  cleared()
  const contact = await chip({ family: 'contact' })
  button(contact.box, 'a wire is off')!.click()
  expect(contact.given).toHaveBeenCalledWith('PROCESS', 'acted upon', 'open', '')
})

test('an amount is offered as it is usual, and can be another', async () => {
  const { box, given } = await chip({ process: '20' })
  button(box, 'each core has more resistance')!.click()
  await nextTick()
  expect(field(box, 'each core has more resistance').value).toBe('1.5')
  await typed(field(box, 'each core has more resistance'), '4')
  await sent(box)
  expect(given).toHaveBeenCalledWith('PROCESS', '20', 'leads added', '4')
})

test('what is typed before stays the start, and all can be well again', async () => {
  const whatIf = { station: 'DEVICE', text: '25', fault: 'open', amount: '' }
  const { box, given } = await chip({ whatIf })
  button(box, 'all is well again')!.click()
  expect(given).toHaveBeenCalledWith('DEVICE', '25', '', '')
})

test('a point that can have no fault offers none', async () => {
  const { box } = await chip({ faults: [] })
  expect(button(box, 'what if wrong…')!.disabled).toBe(true)
})
