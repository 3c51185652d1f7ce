import { nextTick } from 'vue'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, sent, typed } from '../../testing/mounted'
import SweepPanel from './SweepPanel.vue'

const OUTPUT = 'PUT /api/points/{point}/output'
const JUDGE = 'POST /api/points/{point}/sweep'
const LEVELS = 21

beforeEach(() => vi.useFakeTimers({ now: Date.parse('2026-11-29T12:00:00Z') }))
afterEach(cleared)

/** An output that is swept: the input follows it at once, on the other rack. */
async function panel(judged: (body: { given: number[] }) => unknown) {
  const plant = plantOf()
  plant.live.offset = 0
  let level = 0
  vi.spyOn(plant.live, 'at').mockImplementation(
    () => ({ value: level, readAt: Date.now(), quality: 'good' }) as never,
  )
  const asked = answering({
    [OUTPUT]: (body: { text: string }) => ((level = Number(body.text) * 5), { agrees: true }),
    [JUDGE]: judged,
    'PUT /api/points/{point}/wired': { result: 'done' },
  })
  return { box: await mounted(SweepPanel, { point: 12 }), asked, plant }
}
const rows = (given: number[]) =>
  given.map((share) => ({ way: 'up', given: share, read: share, difference: 0 }))
const whole = ({ given }: { given: number[] }) => ({
  passes: given.length === LEVELS ? true : null, worst: 0, hysteresis: 0, record: null, rows: rows(given),
}) // prettier-ignore

test('without the input’s tag nothing moves', async () => {
  const { box, asked } = await panel(whole)
  await sent(box)
  expect(box.textContent).toContain('type the tag of the input')
  await typed(field(box, 'to the input'), 'nobody')
  await sent(box)
  expect(asked).toEqual([])
})

test('a whole sweep is judged and may be signed, with the password', async () => {
  const { box, asked } = await panel(whole)
  await typed(field(box, 'to the input'), 'pt-3107')
  await sent(box)
  await vi.advanceTimersByTimeAsync(60_000)
  const told = asked.find((a) => a.path.endsWith('/sweep'))!.body as { given: number[]; read: number[] }
  expect(told.given.length).toBe(LEVELS)
  expect(told.read[5]).toBeCloseTo(50, 6)
  expect(box.textContent).toContain('passed')
  await typed(field(box, 'signed by'), 'Ana Ferrer')
  await typed(field(box, 'your password'), 'not for long')
  await sent(box, 1)
  expect(asked.at(-1)!.body).toMatchObject({ name: 'Ana Ferrer', password: 'not for long' })
})

test('a sweep that was stopped shows what was read and cannot be signed', async () => {
  const { box } = await panel(whole)
  await typed(field(box, 'to the input'), 'PT-3107')
  await sent(box)
  await vi.advanceTimersByTimeAsync(2500)
  button(box, 'stop')!.click()
  await vi.advanceTimersByTimeAsync(60_000)
  expect(box.textContent).toMatch(/stopped after \d+ of 21 levels: the output stays where it is/)
  expect(box.textContent).toContain('not every level was read')
  expect(button(box, 'sign')).toBeUndefined()
})

test('on a stand-in the two wires are laid from here, to another rack as well', async () => {
  const { box, asked } = await panel(whole)
  await typed(field(box, 'to the input'), 'PT-3107')
  button(box, 'wire it')!.click()
  await nextTick()
  button(box, 'wires off')!.click()
  await nextTick()
  expect(asked.map((a) => [a.path, a.body.output])).toEqual([
    ['/api/points/{point}/wired', 12],
    ['/api/points/{point}/wired', null],
  ])
})
