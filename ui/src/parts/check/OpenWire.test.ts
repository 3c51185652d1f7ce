import { afterEach, expect, test, vi } from 'vitest'
import { usePlant } from '../../plant/store'
import { blockOf } from '../../testing/blocks'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../../testing/mounted'
import OpenWire from './OpenWire.vue'
import ReferencePanel from './ReferencePanel.vue'

afterEach(cleared)

const PUT = 'PUT /api/points/{point}/injection'
async function wire(answers: Record<string, unknown> = {}, props: object = {}) {
  vi.useFakeTimers({ now: 1_780_000_000_000 })
  const plant = plantOf()
  const asked = answering({
    [PUT]: { ok: true },
    'GET /api/points/{point}/advice': { faults: [{ says: 'the loop is open' }] },
    ...answers,
  })
  const given: Record<string, string>[] = []
  const box = await mounted(OpenWire, { point: 11, standIn: true, modelValue: { light: 'red' }, 'onUpdate:modelValue': (v: Record<string, string>) => given.push(v), ...props }) // prettier-ignore
  await settled()
  return { plant, asked, box, given }
}
const read = (quality: number) =>
  usePlant().live.take(blockOf([{ point: 11, value: -6.25, counts: -32_768, quality }]))

test('all five results of a pulled wire are written down, and the wire is put back', async () => {
  const { box, asked, given, plant } = await wire()
  button(box, 'pull the wire of the stand-in')!.click()
  await vi.advanceTimersByTimeAsync(1000)
  read(2)
  plant.alarms = [
    { point: 11, kind: 'fault', state: 'unacknowledged', active: true, priority: 'high' },
  ] as never
  await vi.advanceTimersByTimeAsync(600)
  await settled()
  expect(given.at(-1)).toMatchObject({
    bit: 'the loop is open',
    light: 'red',
    alarm: 'fault, unacknowledged',
  })
  expect(given.at(-1)!.time).toMatch(/^1\.\d s$/)
  const puts = asked.filter((one) => one.way === 'PUT').map((one) => one.body.faults)
  expect(puts).toEqual([[{ kind: 'open', amount: '' }], []])
})

test('a wire that nothing notices says so', async () => {
  const { box, given } = await wire()
  button(box, 'pull the wire of the stand-in')!.click()
  await vi.advanceTimersByTimeAsync(17_000)
  await settled()
  expect(given.at(-1)).toMatchObject({ bit: 'not told', alarm: 'none', time: 'never within 16 s' })
})

test('on a real rack each result is typed', async () => {
  const { box, given } = await wire({}, { standIn: false })
  expect(button(box, 'pull the wire of the stand-in')).toBeUndefined()
  await typed(field(box, 'alarm'), 'came after 2 s')
  expect(given.at(-1)).toEqual({ light: 'red', alarm: 'came after 2 s' })
})

test('an error is split between source, shunt and channel', async () => {
  const plant = plantOf()
  plant.list.show([[11, 'shunt_ohm', '250']])
  plant.live.take(blockOf([{ point: 11, counts: 16_010, value: 250 }]))
  const asked = answering({
    'POST /api/points/{point}/check/split': {
      source: 0.05,
      shunt: -0.1,
      channel: null,
      says: 'the shunt is low',
    },
  })
  const box = await mounted(ReferencePanel, { point: 11 })
  button(box, 'whose error is it?')!.click()
  await settled()
  await typed(field(box, 'source set to'), '12,00')
  await typed(field(box, 'meter says'), '12.008')
  await typed(field(box, 'over 250 Ω'), '2.999')
  button(box, 'with the count that is read now')!
    .closest('form')!
    .dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))
  await settled()
  expect(asked[0]!.body).toEqual({ asked_ma: 12, measured_ma: 12.008, volts: 2.999, counts: 16_010 })
  expect([...box.querySelectorAll('dd')].map((dd) => dd.textContent)).toEqual([
    '+0.050 %',
    '−0.100 %',
    'cannot be told',
  ])
})

test('a current that is no figure is asked for again', async () => {
  plantOf()
  const asked = answering({})
  const box = await mounted(ReferencePanel, { point: 11 })
  button(box, 'whose error is it?')!.click()
  await settled()
  await typed(field(box, 'source set to'), 'twelve')
  box.querySelector('form')!.dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))
  await settled()
  expect(asked).toEqual([])
  expect(box.querySelector('.bad')!.textContent).toContain('both currents are numbers')
})
