import { afterEach, expect, test } from 'vitest'
import { RouterView } from 'vue-router'
import {
  answering,
  button,
  cleared,
  gone,
  mounted,
  placeNow,
  plantOf,
  settled,
  typed,
} from '../testing/mounted'
import PathPage from './PathPage.vue'

afterEach(cleared)

const STATIONS = ['PROCESS', 'DEVICE', 'LOOP', 'INPUT', 'COUNTS', 'VALUE']
const station = (name: string, figure: string, more = {}) => ({ name, figure, unit: name === 'LOOP' ? 'mA' : '', lines: [], given: false, working: [], ...more }) // prettier-ignore
const path = (figures: string[], more = {}) => ({
  point: 11, seq: 5, source: 'live', value: 250, loop: 12, quality: 'good', reasons: [], injected: false, age_s: 0.4,
  read_at: null, fault: '', stations: STATIONS.map((name, k) => station(name, figures[k] ?? '')), ...more,
}) // prettier-ignore
const setting = (field: string, text: string) => ({ field, text, choices: [], applies: true, unit: '', derived: '', fixed: '', unfit: {} }) // prettier-ignore
const SHEET = {
  point: 11, seq: 5, family: 'linear', check_columns: [], value_unit: 'mbar', true_unit: 'mbar', check_points: [],
  curve: null, wiring: null, module: 'AI-8 U/I', register_at: 'input register 1', injectable: 'mA', facts: [], faults: [],
  settings: [setting('value_low', '0'), setting('value_high', '500'), setting('alarm_h', '')],
} // prettier-ignore
const field = (name: string, station: string, group: string) => ({ name, station, label: name, kind: 'number', says: '', width: 60, choices: [], applies: [], listed: true, group, unit: '' }) // prettier-ignore

async function page(answers: Record<string, unknown> = {}, at = '/point/11') {
  const plant = plantOf()
  plant.plant = {
    ...plant.plant,
    stations: STATIONS,
    fields: [
      field('value_low', 'VALUE', 'range and law'),
      field('value_high', 'VALUE', 'range and law'),
      field('alarm_h', 'VALUE', 'high alarm'),
    ],
  } as never
  const asked = answering({
    'GET /api/points/{point}/path': path(['300', '50', '12.000', '1.2', '16000', '250']),
    'GET /api/points/{point}/sheet': SHEET,
    ...answers,
  })
  const routes = [{ path: '/point/:point', component: PathPage }]
  const box = await mounted(RouterView, {}, { at, routes })
  await settled()
  return { plant, asked, box }
}
const figureAt = (box: HTMLElement, name: string) =>
  box.querySelector<HTMLInputElement>(`[aria-label^="${name},"]`)!
const enter = (input: HTMLElement, key = 'Enter') =>
  input.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))

test('the six stations stand there with what the point says now', async () => {
  const { box } = await page()
  expect(STATIONS.map((name) => figureAt(box, name).value)).toEqual(['300', '50', '12.000', '1.2', '16000', '250']) // prettier-ignore
  expect(box.querySelector('h1')!.textContent).toBe('PT-3107')
})

test('a figure typed at a station is what all others follow, and Esc is live again', async () => {
  const queries: unknown[] = []
  const { box } = await page()
  const whatIf = path(['600', '100', '20.000', '2.0', '32000', '500'], { source: 'what-if' })
  answering({
    'GET /api/points/{point}/path': () => (queries.push(1), whatIf),
    'GET /api/points/{point}/sheet': SHEET,
  })
  const loop = figureAt(box, 'LOOP')
  loop.focus()
  await typed(loop, '20')
  enter(loop)
  await settled()
  expect([queries.length, figureAt(box, 'VALUE').value]).toEqual([1, '500'])
  answering({ 'GET /api/points/{point}/path': path(['300', '50', '12.000', '1.2', '16000', '250']) })
  enter(document.body, 'Escape')
  await settled()
  expect(figureAt(box, 'VALUE').value).toBe('250')
})

test('what cannot be read at a station is said there, and what was typed stays', async () => {
  const { box } = await page()
  answering({ 'GET /api/points/{point}/path': '“twelve” is not a number' })
  const loop = figureAt(box, 'LOOP')
  loop.focus()
  await typed(loop, 'twelve')
  enter(loop)
  await settled()
  expect(box.querySelector('.refusal')!.textContent).toContain('“twelve” is not a number')
  expect(figureAt(box, 'LOOP').value).toBe('twelve')
})

test('an answer for the point before does not stand at the one that is shown', async () => {
  const { box } = await page()
  let late: (() => void) | undefined
  const slow = new Promise<void>((done) => (late = done))
  answering({
    'GET /api/points/{point}/path': slow.then(() => path(['1', '1', '1', '1', '1', '1'])),
    'GET /api/points/{point}/sheet': { ...SHEET, point: 12 },
  })
  await gone('/point/12')
  await gone('/point/11')
  late!()
  await settled()
  expect(placeNow()).toBe('/point/11')
  expect(box.querySelector('h1')?.textContent).not.toBe('ZV-2')
})

test('settings stand in groups: what is set is open, the rest folded with what it says', async () => {
  const { box } = await page()
  const groups = [...box.querySelectorAll('details')]
  expect(groups.map((g) => [g.querySelector('summary')!.textContent!.trim().replace(/\s+/g, ' '), g.open])).toEqual([
    ['range and law value_low 0 · value_high 500', true],
    ['high alarm nothing set', false],
  ]) // prettier-ignore
  const high = groups[1]!
  high.open = true
  high.dispatchEvent(new Event('toggle'))
  await settled()
  expect(high.querySelector('.setting')!.getAttribute('aria-label')).toBe('alarm_h: empty')
})

test('VALUE is made the same as the device by one press', async () => {
  const { plant, asked, box } = await page({ 'POST /api/proposals': 'not now' })
  expect(button(box, 'same as the device')).toBeUndefined()
  plant.list.show([
    [11, 'device_low', '0'],
    [11, 'device_high', '600'],
  ])
  await settled()
  button(box, 'same as the device')!.click()
  await settled()
  const sent = asked.find((one) => one.path === '/api/proposals')!.body as { edits: unknown[] }
  expect(sent.edits).toEqual([{ point: 11, field: 'value_high', was: '500', text: '600' }])
})

test('a point that is not there any more is said so, with a way back', async () => {
  const gone_ = 'there is no such point'
  const { box } = await page({ 'GET /api/points/{point}/path': gone_, 'GET /api/points/{point}/sheet': gone_ }, '/point/99') // prettier-ignore
  expect(box.textContent).toContain('there is no such point')
  expect(box.querySelector('a[href="/list"]')).not.toBeNull()
})
