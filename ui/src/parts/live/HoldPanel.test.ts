import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../../testing/mounted'
import HoldPanel from './HoldPanel.vue'

afterEach(cleared)

const OFFER = { unit: 'mbar', trips: ['it stops the fan'], output: 'it is an input', force: '', armed_needed: false, on_loss: '' } // prettier-ignore

async function panel(offer: object, answers: Record<string, unknown> = {}, rights?: string[]) {
  const plant = plantOf(rights)
  const asked = answering({ 'GET /api/points/{point}/hold': offer, ...answers })
  const box = await mounted(HoldPanel, { point: 11 })
  await settled()
  return { box, asked, plant }
}

test('what a point can trip is said first, and nothing is held without a value', async () => {
  const { box } = await panel(OFFER)
  expect(box.textContent).toContain('▲ it stops the fan')
  expect(button(box, 'force in the rack')!.disabled).toBe(true)
  await typed(field(box, 'value to hold'), '300')
  expect(button(box, 'force in the rack')!.disabled).toBe(false)
})

test('a force and a substitute are told apart in words', async () => {
  const { box, asked } = await panel(OFFER)
  await typed(field(box, 'value to hold'), '300')
  await typed(field(box, 'why'), 'loop test')
  button(box, 'force in the rack')!.click()
  await settled()
  expect(box.textContent).toContain('held in the rack: the controller sees it')
  button(box, 'substitute here')!.click()
  await settled()
  expect(box.textContent).toContain('replaced here: the controller does not see it')
  expect(asked.slice(1).map((a) => [a.path, a.body.text, a.body.why])).toEqual([
    ['/api/points/{point}/force', '300', 'loop test'],
    ['/api/points/{point}/substitute', '300', 'loop test'],
  ])
})

test('a module without a register for it is offered no force, and the reason stands there', async () => {
  const { box } = await panel({ ...OFFER, force: 'the module has no register to force by' })
  expect(button(box, 'force in the rack')).toBeUndefined()
  expect(box.textContent).toContain('no force: the module has no register to force by')
})

test('an output that does not agree is told as bad, with what was read back', async () => {
  const says = 'commanded count 16000, read back 0: is the output forced, or its module faulty?'
  const { box } = await panel(
    { ...OFFER, output: '' },
    { 'PUT /api/points/{point}/output': { agrees: false, says } },
  )
  await typed(field(box, 'value to hold'), '50')
  button(box, 'give the output this value')!.click()
  await settled()
  expect(box.querySelector('[role=status].bad')?.textContent).toBe(`■ ${says}`)
})

test('what is refused stays in its field', async () => {
  const { box } = await panel(OFFER, { 'PUT /api/points/{point}/force': 'writing to this rack is not armed' })
  await typed(field(box, 'value to hold'), '300')
  button(box, 'force in the rack')!.click()
  await settled()
  expect(box.textContent).toContain('■ writing to this rack is not armed')
  expect(field(box, 'value to hold').value).toBe('300')
})
