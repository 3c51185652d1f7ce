import { afterEach, beforeEach, expect, test } from 'vitest'
import { usePlant } from '../plant/store'
import { blockOf } from '../testing/blocks'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../testing/mounted'
import CheckPage from './CheckPage.vue'

beforeEach(() => localStorage.clear())
afterEach(cleared)

const step = (share: number, way: string, counts: number) => ({
  share, way, process: '', signal: `${4 + 0.16 * share} mA`, counts: String(counts), value: `${5 * share} mbar`,
  signal_number: 4 + 0.16 * share, counts_number: counts, value_number: 5 * share,
}) // prettier-ignore
// A 16-bit input that reads 0 to 32 000 counts over 4 to 20 mA.
const STEPS = [step(0, 'up', 0), step(50, 'up', 16_000), step(100, 'up', 32_000)]
const CHECK = {
  seq: 5, why_not: '', contact: false, steps: STEPS, tolerance: 0.5, signal_unit: 'mA', value_unit: 'mbar', count_span: 32_000,
  trips: [], open: [], records: [],
} // prettier-ignore
const judged = (passes: boolean | null, error = '', of_span: number | null = null) => ({
  passes,
  error,
  of_span,
})
const OPEN = { steps: [judged(null), judged(null), judged(null)], worst: null, hysteresis: null, tolerance: 0.5, complete: false, passes: null, says: 'not every step was read yet' } // prettier-ignore

const NO_DRIFT = { at: [], errors: [], begins: [], tolerance: 0.5, rate: null, days: [], line: [], low: [], high: [], leaves_at: null, by_line: null, says: '' } // prettier-ignore

async function page(answers: Record<string, unknown> = {}, at = '/check/11') {
  const plant = plantOf()
  const asked = answering({
    'GET /api/points/{point}/check': CHECK,
    'GET /api/points/{point}/source': { why_not: 'no stand-in' },
    'POST /api/points/{point}/check/judge': OPEN,
    'GET /api/points/{point}/drift': NO_DRIFT,
    'GET /api/trends': { begins: 0, ends: 1, trends: [] },
    ...answers,
  })
  const routes = [{ path: '/check/:point', component: CheckPage }]
  const box = await mounted({ template: '<router-view />' }, {}, { at, routes })
  await settled()
  return { plant, asked, box }
}
const rows = (box: HTMLElement) => [...box.querySelectorAll<HTMLElement>('.steps tbody tr')]
const take = (box: HTMLElement, row: number) => rows(box)[row]!.querySelector<HTMLElement>('button')!.click()
/** The scan reads the point four times at one level: it stands still. */
async function still(counts: number, value: number, from: number) {
  for (let k = 0; k < 4; k++) usePlant().live.take(blockOf([{ point: 11, counts, value }], from + 1000 * k))
  await settled()
}
const judgedWith = (asked: { path: string; body: Record<string, unknown> }[]) =>
  asked.filter((one) => one.path.endsWith('/judge')).at(-1)!.body.readings as { counts?: number }[]

test('a step is taken by itself once the point stands still at the count that is due', async () => {
  const { box, asked } = await page()
  const from = Date.now()
  take(box, 1)
  await settled()
  expect(rows(box)[1]!.textContent).toContain('waiting…')
  await still(15_990, 249.8, from)
  expect(judgedWith(asked)[1]).toMatchObject({ counts: 15_990, value: 249.8 })
  expect(rows(box)[2]!.textContent, 'the next step is waited for').toContain('waiting…')
  expect(rows(box)[1]!.textContent).toContain('15\u202f990')
})

test('standing still far from what is due takes nothing: it is another step', async () => {
  const { box, asked } = await page()
  take(box, 1)
  await settled()
  await still(2_000, 31.25, Date.now())
  expect(judgedWith(asked)[1]!.counts).toBeUndefined()
  button(box, 'take it as it is now')!.click()
  await settled()
  expect(judgedWith(asked)[1], 'a person may say otherwise').toMatchObject({ counts: 2_000 })
})

test('what the calibrator said is read with either decimal sign, and no word is taken for a figure', async () => {
  const { box, asked } = await page()
  await typed(field(box, 'what the calibrator said at 50 %'), '12,003')
  expect(judgedWith(asked)[1]).toMatchObject({ signal: 12.003 })
  const before = asked.length
  await typed(field(box, 'what the calibrator said at 50 %'), 'about twelve')
  expect(asked.length).toBe(before)
})

test('what was read and not signed is there again when the page comes again', async () => {
  const first = await page()
  take(first.box, 0)
  await settled()
  await still(3, 0.05, Date.now())
  expect(rows(first.box)[0]!.textContent).toContain('take')
  cleared()
  const { box, asked } = await page()
  expect(judgedWith(asked)[0]).toMatchObject({ counts: 3, value: 0.05 })
  button(box, 'begin anew')!.click()
  await settled()
  expect(localStorage.getItem('canaleta-check-11')).toBeNull()
})

test('a judged check shows each error between its limits, and what failed', async () => {
  const outcome = { ...OPEN, steps: [judged(true, '+0.5 mbar', 0.1), judged(false, '+3.0 mbar', 0.6), judged(true, '−0.5 mbar', -0.1)], worst: 0.6, complete: true, passes: false, says: 'largest error 0.600 % of span' } // prettier-ignore
  const { box } = await page({ 'POST /api/points/{point}/check/judge': outcome })
  expect(rows(box)[0]!.textContent).toContain('✓ within')
  expect(rows(box)[1]!.textContent).toContain('■ off')
  expect(box.querySelector('.outcome')!.textContent).toContain('■ failed')
  const drawn = box.querySelector('.errors [role=img]')!.getAttribute('aria-label')!
  expect(drawn).toBe('errors of the check: up from −0.100 % to 0.600 %, last −0.100 %')
})

test('from two checks on their errors are drawn with the line through them, and when it leaves is said', async () => {
  const year = 31_557_600
  const drift = {
    at: [0, year, 2 * year], errors: [0.05, 0.15, 0.25], begins: [false, false, false], tolerance: 0.5, rate: 0.1, days: [0, year, 2 * year, 5 * year],
    line: [0.05, 0.15, 0.25, 0.55], low: [0, 0.1, 0.2, 0.4], high: [0.1, 0.2, 0.3, 0.7], leaves_at: '2027-06-30', by_line: '2028-01-01',
    says: 'check it again within 900 days',
  } // prettier-ignore
  const { box } = await page({ 'GET /api/points/{point}/drift': drift })
  const told = box.querySelector('.drift [role=img]')!.getAttribute('aria-label')
  expect(told).toContain('error of each check from 0.050 % to 0.250 %')
  expect(told).toContain('line through them')
  expect(box.querySelector('.drift')!.textContent).toContain('check it again within 900 days')
})

test('a record that is no longer what was signed says so', async () => {
  const records = [{ id: 3, at: '2026-11-01T08:00:00Z', kind: 'loop check', who: 'ana', name: 'Ana', verdict: 'passed', sound: false, phase: '', worst: null, tolerance: null }] // prettier-ignore
  const { box } = await page({ 'GET /api/points/{point}/check': { ...CHECK, records } })
  expect(box.textContent).toContain('■ not what was signed')
})

test('what stands in the way of a check is said instead of an empty table', async () => {
  const { box } = await page({
    'GET /api/points/{point}/check': { ...CHECK, steps: [], why_not: 'it holds no channel yet' },
  })
  expect(box.textContent).toContain('it holds no channel yet')
  expect(rows(box)).toEqual([])
})

test('what somebody played while walking fills the check in', async () => {
  const plateaus = [0, 50, 100].map((share) => ({
    signal: 4 + 0.16 * share,
    counts: 320 * share,
    value: 5 * share,
  }))
  const walk = { found: [{ id: 9, at: '2026-11-30T08:00:00Z', point: 11, plateaus }] }
  const { asked, box } = await page({ 'GET /api/walk': walk }, '/check/11?found=9')
  expect(judgedWith(asked).map((one) => one.counts)).toEqual([0, 16_000, 32_000])
  expect(box.querySelector('[role=status]')!.textContent).toContain('taken from what was played at')
})
