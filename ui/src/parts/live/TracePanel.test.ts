import { afterEach, expect, test, vi } from 'vitest'
import { usePlant } from '../../plant/store'
import { blockOf } from '../../testing/blocks'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../../testing/mounted'
import TracePanel from './TracePanel.vue'

afterEach(cleared)

const STAGES = ['device', 'wires', 'terminals', 'module', 'register', 'value']
const trace = (ticks: string[]) => ({
  given: '250', unit: 'mbar', between: [], following: 0, says: 'look at the device first', do: 'measure at X1:5',
  stages: STAGES.map((name, k) => ({ name, look: `at the ${name}`, expected: '12 mA', reads: '', tick: ticks[k] ?? '', by_itself: false })),
}) // prettier-ignore
const STIMULI = { stimuli: [{ name: 'vent', says: 'the pressure falls', expected: 'it goes down' }] }

async function panel(answers: Record<string, unknown> = {}) {
  const plant = plantOf()
  const asked = answering({
    'POST /api/points/{point}/trace': (body: { ticks: string[] }) => trace(body.ticks),
    'GET /api/points/{point}/stimuli': STIMULI,
    'POST /api/points/{point}/stimuli/judge': { right: true, says: 'it went the right way' },
    ...answers,
  })
  const box = await mounted(TracePanel, { point: 11 })
  await settled()
  return { plant, asked, box }
}
const traced = (asked: { path: string; body: Record<string, unknown> }[]) =>
  asked.filter((one) => one.path.endsWith('/trace')).at(-1)!.body
const presses = (box: HTMLElement, stage: number, text: string) =>
  [...box.querySelectorAll('ol > li')[stage]!.querySelectorAll('button')]
    .find((b) => b.textContent!.trim() === text)!
    .click()

test('six stages are ticked one by one, and the same press takes a tick off', async () => {
  const { box, asked } = await panel()
  expect([...box.querySelectorAll('ol b')].map((b) => b.textContent)).toEqual(STAGES)
  presses(box, 1, 'seen')
  await settled()
  presses(box, 4, 'not seen')
  await settled()
  expect(traced(asked).ticks).toEqual(['', 'seen', '', '', 'not seen', ''])
  expect(box.querySelectorAll('ol > li')[4]!.textContent).toContain('■')
  presses(box, 4, 'not seen')
  await settled()
  expect(traced(asked).ticks).toEqual(['', 'seen', '', '', '', ''])
  expect(box.textContent).toContain('measure at X1:5')
})

test('what is in the pipe is taken into account, and what cannot be read is told', async () => {
  const { box, asked } = await panel({
    'POST /api/points/{point}/trace': (body: { given: string; ticks: string[] }) =>
      body.given === 'much' ? '“much” is no pressure' : trace(body.ticks),
  })
  await typed(field(box, 'what is in the pipe now'), 'much')
  await settled()
  expect(traced(asked).given).toBe('much')
  expect(box.querySelector('.bad')!.textContent).toContain('“much” is no pressure')
})

test('something is done by hand, and the furthest that the value goes is what is judged', async () => {
  vi.useFakeTimers({ now: 1_780_000_000_000 })
  const { box, asked } = await panel()
  const reads = async (value: number) => {
    usePlant().live.take(blockOf([{ point: 11, value, counts: 16_000 }]))
    await vi.advanceTimersByTimeAsync(400)
  }
  await reads(250)
  button(box, 'vent now')!.click()
  await settled()
  expect(box.textContent).toContain('watching for')
  await reads(180)
  await reads(230)
  await vi.advanceTimersByTimeAsync(20_000)
  await settled()
  expect(asked.at(-1)!.body).toEqual({ name: 'vent', before: 250, after: 180 })
  expect(box.textContent).toContain('● it went the right way')
})
