import { afterEach, beforeEach, expect, test } from 'vitest'
import { usePlant } from '../plant/store'
import { blockOf } from '../testing/blocks'
import { answering, button, cleared, field, mounted, plantOf, sent, settled, typed } from '../testing/mounted'
import TrimPage from './TrimPage.vue'

beforeEach(() => localStorage.clear())
afterEach(cleared)

// A 16-bit input that counts 0 to 32 000 over 4 to 20 mA, trimmed with three samples a level.
const levels = (signals: [string, string][]) => signals.map(([signal, specified]) => ({ signal, specified }))
const TWO = levels([['4.000', '0'], ['20.000', '32\u202f000']]) // prettier-ignore
const THREE = levels([['4.000', '0'], ['12.000', '16\u202f000'], ['20.000', '32\u202f000']]) // prettier-ignore
const TRIM = {
  seq: 5, why_not: '', driven: false, thermocouple: false, unit: 'mA', levels: { '2': TWO, '3': THREE, '5': TWO }, samples: 3,
  scatter: 16, most_percent: 2, ends: [0, 32_000], found: [0, 32_000], trimmed: '', period_s: 1, moving: [], trips: [],
  uses: [{ what: 'scaling', says: 'count to value', counts: null, follows: true }], pair_at: '', records: [],
} // prettier-ignore
const level = (mean: number, refused: object[] = []) => ({
  signal: '', specified: 0, mean, sigma: 1, samples: 3, drift: 96, of_span: 0.3, refused,
}) // prettier-ignore
const JUDGED = {
  levels: [], ends: [0, 32_000], found: [null, null], zero: null, slope: null, residual: null, shares: [0, 100], before: [null, null],
  after: [null, null], worst_before: null, worst_after: null, refused: [{ code: 'one level', says: 'two levels are needed' }],
  acceptable: false, says: '',
} // prettier-ignore
const DONE = { ...JUDGED, levels: [level(96), level(32_032)], found: [96, 32_032], refused: [], acceptable: true, says: 'found 96 … 32 032', worst_before: 0.3, worst_after: 0, before: [0.3, 0.1], after: [0, 0] } // prettier-ignore
const JUDGE = 'POST /api/points/{point}/trim/judge'
type Captures = { captures: { signal: string; counts: (number | null)[]; junction?: number | null }[] }
const judging = (body: unknown) =>
  (body as Captures).captures.length > 1 ? DONE : { ...JUDGED, levels: [level(96)] }

async function page(answers: Record<string, unknown> = {}) {
  const plant = plantOf()
  const asked = answering({
    'GET /api/points/{point}/trim': TRIM,
    'GET /api/points/{point}/source': { why_not: 'no stand-in' },
    [JUDGE]: judging,
    ...answers,
  })
  const routes = [{ path: '/trim/:point', component: TrimPage }]
  const box = await mounted({ template: '<router-view />' }, {}, { at: '/trim/11', routes })
  await settled()
  return { plant, asked, box }
}
async function counted(counts: number[], from: number) {
  counts.forEach((c, k) =>
    usePlant().live.take(blockOf([{ point: 11, counts: c, value: c / 64 }], from + 1000 * k)),
  )
  await settled()
}
const last = (asked: { path: string; body: Record<string, unknown> }[]) =>
  (asked.filter((one) => one.path.endsWith('/judge')).at(-1)?.body as Captures | undefined)?.captures

test('each level is taken by itself once it stands still, and what was found is told', async () => {
  const { box, asked } = await page()
  const from = Date.now()
  await counted([95, 96, 97], from)
  expect(last(asked)).toMatchObject([{ signal: '4.000', counts: [95, 96, 97] }])
  expect(box.textContent, 'one level alone is no reproach').not.toContain('two levels are needed')
  await counted([32_031, 32_032, 32_033], from + 10_000)
  expect(last(asked)?.[1]).toMatchObject({ signal: '20.000', counts: [32_031, 32_032, 32_033] })
  expect(box.textContent).toContain('found 96 … 32 032')
  expect(box.textContent).toContain('every level is taken')
})

test('samples of two levels are no level, and what stands still elsewhere is none', async () => {
  const { asked } = await page()
  const from = Date.now()
  await counted([96, 96, 16_000], from)
  expect(last(asked)).toBeUndefined()
  await counted([16_000, 16_001, 16_000], from + 10_000)
  expect(last(asked), 'the middle is neither of the two').toBeUndefined()
})

test('a level that scatters is waited for', async () => {
  const { box, asked } = await page()
  await counted([0, 60, 120], Date.now())
  expect(last(asked)).toBeUndefined()
  expect(box.querySelector('.rest')!.textContent).toContain('3 of 3 · scatter 60.00')
})

test('what is refused stands at its level, which can be taken again', async () => {
  const refused = [{ code: 'moving', says: 'the counts still move' }]
  const { box, asked } = await page({ [JUDGE]: { ...JUDGED, levels: [level(96, refused)] } })
  await counted([96, 96, 96], Date.now())
  expect(box.querySelector('tbody tr')!.textContent).toContain('the counts still move')
  box.querySelector<HTMLElement>('[aria-label="take level 1 again"]')!.click()
  await settled()
  expect(box.querySelector('tbody tr')!.textContent).not.toContain('the counts still move')
  await counted([97, 97, 97], Date.now() + 10_000)
  expect(last(asked)).toMatchObject([{ counts: [97, 97, 97] }])
})

test('the calibrator may say another figure than the level', async () => {
  const { box, asked } = await page()
  await typed(field(box, 'level 1 as the calibrator says it'), '4,003')
  await counted([96, 96, 96], Date.now())
  expect(last(asked)).toMatchObject([{ signal: '4,003' }])
})

test('what was counted and not accepted is there again when the page comes again', async () => {
  const first = await page()
  await counted([95, 96, 97], Date.now())
  expect(first.box.textContent).not.toContain('every level is taken')
  cleared()
  const { box, asked } = await page()
  expect(last(asked)).toMatchObject([{ signal: '4.000', counts: [95, 96, 97] }])
  await counted([32_031, 32_032, 32_033], Date.now() + 10_000)
  expect(box.textContent).toContain('every level is taken')
  cleared()
  // Of another list it says nothing any more.
  const other = await page({ 'GET /api/points/{point}/trim': { ...TRIM, seq: 6 } })
  expect(last(other.asked)).toBeUndefined()
})

test('what was found is accepted with the instrument, and the page shows the list anew', async () => {
  const record = { id: 7, at: '2026-11-30T12:00:00Z', kind: 'trim', who: 'ana', name: 'Ana', verdict: 'accepted: found 96', sound: true, phase: '', worst: null, tolerance: null } // prettier-ignore
  const { box, asked } = await page({ 'POST /api/points/{point}/trim': record })
  const accept = () => button(box, 'accept the found pair')!
  expect(accept().disabled, 'nothing is found yet').toBe(true)
  const from = Date.now()
  await counted([96, 96, 96], from)
  await counted([32_032, 32_032, 32_032], from + 10_000)
  expect(accept().disabled).toBe(false)
  await typed(field(box, 'instrument'), 'calibrator')
  await typed(field(box, 'due'), '2027-03')
  await typed(field(box, 'name'), 'Ana')
  await typed(field(box, 'your password'), 'not for long')
  await sent(box)
  await settled()
  const body = asked.find((one) => one.way === 'POST' && one.path === '/api/points/{point}/trim')!.body
  expect(body).toMatchObject({ seq: 5, name: 'Ana', instrument: 'calibrator', due: '2027-03' })
  expect((body as unknown as Captures).captures).toHaveLength(2)
  expect(box.textContent).toContain('signed as record 7')
  expect(field(box, 'your password').value).toBe('')
})

test('a trimmed channel goes back to its data sheet in one step', async () => {
  const trimmed = { ...TRIM, found: [96, 32_032], trimmed: '2026-11-30, record 7' }
  const { box, asked } = await page({ 'GET /api/points/{point}/trim': trimmed, 'POST /api/points/{point}/trim/back': { applied: true } }) // prettier-ignore
  expect(box.textContent).toContain('trimmed 2026-11-30, record 7')
  button(box, 'back to the data sheet')!.click()
  await settled()
  expect(asked.some((one) => one.path === '/api/points/{point}/trim/back')).toBe(true)
  expect(box.textContent).toContain('the record stays')
})

test("the controller's own pair is read, and written only where it is another", async () => {
  const other = { at: 'holding 200 int, holding 201 int', counts: [0, 32_000], ought: [96, 32_032], agrees: false, says: 'the controller keeps another pair' } // prettier-ignore
  const pair = (body: unknown) => ((body as { write: boolean }).write ? { ...other, counts: [96, 32_032], agrees: true, says: 'written, and read back' } : other) // prettier-ignore
  const { box, asked } = await page({ 'GET /api/points/{point}/trim': { ...TRIM, pair_at: other.at }, 'POST /api/points/{point}/trim/pair': pair }) // prettier-ignore
  const write = () => [...box.querySelectorAll('button')].find((one) => one.textContent!.includes('write 96'))
  expect(write()).toBeUndefined()
  button(box, 'read it')!.click()
  await settled()
  write()!.click()
  await settled()
  expect(asked.filter((one) => one.path.endsWith('/pair')).map((one) => one.body.write)).toEqual([
    false,
    true,
  ])
  expect(box.textContent).toContain('written, and read back')
})

test('of an output the meter is typed and the count is what it is given', async () => {
  const { box, asked } = await page({ 'GET /api/points/{point}/trim': { ...TRIM, driven: true } })
  await counted([0, 0, 0], Date.now())
  expect(last(asked), 'nothing is taken by itself').toBeUndefined()
  await typed(field(box, 'level 1 as the calibrator says it'), '4.016')
  button(box, 'take this level')!.click()
  await settled()
  expect(last(asked)).toMatchObject([{ signal: '4.016', counts: [0] }])
})

test('why nothing can be trimmed is said', async () => {
  const { box } = await page({
    'GET /api/points/{point}/trim': { ...TRIM, why_not: 'a contact has nothing to trim' },
  })
  expect(box.textContent).toContain('a contact has nothing to trim')
  expect(box.querySelector('table')).toBeNull()
})
