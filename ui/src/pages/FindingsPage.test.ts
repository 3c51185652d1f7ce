import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../testing/mounted'
import FindingsPage from './FindingsPage.vue'

afterEach(cleared)

const finding = (key: string, severity: string, station: string, text: string, point: number, more = {}) => ({
  key, rule: key.split(':')[0]!, station, severity, text, cells: [{ point, field: 'service' }], fixes: [], harm: 'falsifies',
  cause: null, trips: false, waived: null, ...more,
}) // prettier-ignore
const RULES = {
  harms: [{ name: 'falsifies', says: 'a wrong value is taken for right' }],
  rules: ['R07', 'R23', 'R40'].map((id) => ({ id, name: `rule ${id}`, looks: 'at ranges', source: 'NE 43', severity: 'bad', grade: '', harm: 'falsifies' })),
} // prettier-ignore

async function page(findings: ReturnType<typeof finding>[]) {
  const plant = plantOf()
  plant.plant = {
    ...plant.plant,
    stations: ['LOOP', 'VALUE'],
    rules: { R07: 'ranges disagree', R23: 'too little voltage', R40: 'two of one tag' },
  } as never
  plant.findings = new Map(findings.map((f) => [f.key, f])) as never
  answering({ 'GET /api/rules': RULES, 'GET /api/findings/live': { findings: [] } })
  const box = await mounted(FindingsPage)
  await settled()
  return { plant, box }
}
const shown = (box: HTMLElement) =>
  [...box.querySelectorAll('.group .text')].map((element) => element.textContent)
const THREE = [
  finding('R07:11', 'settle', 'VALUE', 'the list shows 250, the pipe holds 300', 11),
  finding('R23:12', 'bad', 'LOOP', '0.7 V short at 22 mA', 12),
  finding('R40:11', 'note', 'POINT', 'twice in the list', 11),
]

test('the dearest stands first, and each station says how many lie there', async () => {
  const { box } = await page(THREE)
  expect(shown(box)[0]).toBe('0.7 V short at 22 mA')
  const stops = [...box.querySelectorAll('.stop')].map((stop) =>
    stop.textContent!.replace(/\s+/g, ' ').trim(),
  )
  expect(stops).toEqual(['LOOP1', 'VALUE1', 'beside the path1'])
})

test('a station shows what lies there alone, and again shows all', async () => {
  const { box } = await page(THREE)
  const loop = box.querySelector<HTMLElement>('.stop')!
  loop.click()
  await settled()
  expect(shown(box)).toEqual(['0.7 V short at 22 mA'])
  loop.click()
  await settled()
  expect(shown(box).length).toBe(3)
})

test('words find by tag, rule and text; what nothing has is said', async () => {
  const { box } = await page(THREE)
  await typed(field(box, 'find in findings'), 'zv-2')
  await settled()
  expect(shown(box)).toEqual(['0.7 V short at 22 mA'])
  await typed(field(box, 'find in findings'), 'ranges pt-3107')
  await settled()
  expect(shown(box)).toEqual(['the list shows 250, the pipe holds 300'])
  await typed(field(box, 'find in findings'), 'nowhere')
  await settled()
  expect(box.querySelector('.nothing')!.textContent).toContain('Nothing like that')
})

test('what was accepted is not among what is open, and stands with the accepted', async () => {
  const waived = { reason: 'meant so', who: 'ana', at: '2026-11-30T04:00:00Z', holds: true }
  const { box } = await page([THREE[0]!, finding('R23:12', 'bad', 'LOOP', 'short', 12, { waived })])
  expect(shown(box)).toEqual(['the list shows 250, the pipe holds 300'])
  button(box, 'accepted 1')!.click()
  await settled()
  expect(shown(box)).toEqual(['short'])
})

test('with nothing open the page says what was looked at', async () => {
  const { box } = await page([])
  expect(box.querySelector('.nothing')!.textContent).toContain('Everything agrees. 3 rules look at 2 points')
})

test('the rules are there to be read, with how often each found something', async () => {
  const { box } = await page(THREE)
  button(box, 'what is looked at')!.click()
  await settled()
  const rows = [...box.querySelectorAll('tbody tr')].map((row) =>
    row.textContent!.replace(/\s+/g, ' ').trim(),
  )
  expect(rows.length).toBe(3)
  expect(rows[1]).toContain('rule R23')
  expect(rows[1]!.endsWith('1')).toBe(true)
})
