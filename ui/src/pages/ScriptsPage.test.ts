import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../testing/mounted'
import ScriptsPage from './ScriptsPage.vue'

beforeEach(() => {
  localStorage.clear()
  vi.useFakeTimers()
})
afterEach(cleared)

const KEPT = { name: 'burner', version: 3, text: '0 s PT-3107 put 12 mA' }
const LINE = { line: 1, at: 0, ends: 3, tag: 'PT-3107', says: 'put 12 mA', kind: 'put', state: '', level: 12, becomes: null, in_s: 0, fault: '', after: null, began: null } // prettier-ignore
const READ = { lines: [LINE], problems: [], trips: [], length_s: 3 }
const RUN = { id: 5, state: 'done', at: '2026-11-30T08:00:00Z', who: 'ana', script: 'burner', says: 'all seen', missed: 0, record: 0, lines: [LINE] } // prettier-ignore

async function page(answers: Record<string, unknown> = {}, rights?: string[]) {
  const plant = plantOf(rights)
  const asked = answering({
    'GET /api/scripts': { scripts: [KEPT], runs: [] },
    'GET /api/script-runs': { runs: [] },
    'POST /api/scripts/read': READ,
    ...answers,
  })
  const box = await mounted(ScriptsPage)
  await settled()
  return { plant, asked, box }
}
const lines = (box: HTMLElement) => field(box, 'lines of the script')
const open = async (box: HTMLElement, name: string) => {
  const one = [...box.querySelectorAll('button')].find((b) => b.textContent!.trim().startsWith(name))!
  one.click()
  await settled()
}
const press = (box: HTMLElement, key: string) =>
  box
    .querySelector('.scripts')!
    .dispatchEvent(new KeyboardEvent('keydown', { key, ctrlKey: true, bubbles: true }))

test('what is typed and not kept is there again when the script is opened again', async () => {
  const { box } = await page()
  await open(box, 'burner')
  expect(lines(box).value).toBe(KEPT.text)
  await typed(lines(box), `${KEPT.text}\n+5 s PT-3107 take off`)
  await vi.advanceTimersByTimeAsync(300)
  await open(box, 'new script')
  expect(lines(box).value).toBe('')
  await open(box, 'burner')
  expect(lines(box).value).toContain('take off')
  expect(box.textContent).toContain('not kept')
})

test('it is kept with the version it was opened at, so that nobody else’s is written over', async () => {
  const { box, asked } = await page({ 'PUT /api/scripts/{name}': { name: 'burner', version: 4 } })
  await open(box, 'burner')
  await typed(lines(box), '0 s PT-3107 put 8 mA')
  press(box, 's')
  await settled()
  expect(asked.find((one) => one.way === 'PUT')!.body).toEqual({ text: '0 s PT-3107 put 8 mA', version: 3 })
  expect(box.querySelector('[role=status]')!.textContent).toBe('kept')
})

test('under another name it is another script', async () => {
  const { box, asked } = await page({ 'PUT /api/scripts/{name}': { name: 'burner 2', version: 1 } })
  await open(box, 'burner')
  await typed(field(box, 'name of the script'), 'burner 2')
  await typed(lines(box), '0 s PT-3107 put 8 mA')
  button(box, 'keep')!.click()
  await settled()
  expect(asked.find((one) => one.way === 'PUT')!.body).toMatchObject({ version: 0 })
})

test('a version that somebody else kept meanwhile is told, and what is typed stays', async () => {
  const { box } = await page({ 'PUT /api/scripts/{name}': 'ben kept it meanwhile' })
  await open(box, 'burner')
  await typed(lines(box), 'mine')
  press(box, 's')
  await settled()
  expect(box.querySelector('[role=status]')!.textContent).toContain('ben kept it meanwhile')
  expect(lines(box).value).toBe('mine')
})

test('a line that cannot be read is marked at its number, and the script does not run', async () => {
  const problems = [{ line: 2, says: 'what is “pt”?' }]
  const { box } = await page({ 'POST /api/scripts/read': { ...READ, problems } })
  await typed(lines(box), '0 s PT-3107 put 12 mA\npt')
  await vi.advanceTimersByTimeAsync(300)
  await settled()
  expect([...box.querySelectorAll('.gutter span')].map((n) => n.textContent)).toEqual(['1', '■'])
  expect(box.querySelector('.wrong')!.textContent).toContain('what is “pt”?')
  expect(button(box, 'run it, 3 s')!.disabled).toBe(true)
})

test('what shuts something is provided for before it runs', async () => {
  const { box, asked } = await page({
    'POST /api/scripts/read': { ...READ, trips: ['PT-3107 shuts the gas'] },
    'POST /api/scripts/run': { id: 5 },
    'GET /api/script-runs/{number}': RUN,
  })
  await settled()
  expect(button(box, 'run it, 3 s')!.disabled).toBe(true)
  box.querySelector<HTMLInputElement>('input[type=checkbox]')!.click()
  await settled()
  button(box, 'run it, 3 s')!.click()
  await settled()
  expect(asked.find((one) => one.path === '/api/scripts/run')!.body).toMatchObject({ trips_known: true })
})

test('a run is followed until it has ended, and can be called off', async () => {
  let state = 'runs'
  const { box, asked } = await page({
    'POST /api/scripts/run': { id: 5 },
    'GET /api/script-runs/{number}': () => ({ ...RUN, state }),
    'POST /api/script-runs/{number}/stop': {},
  })
  button(box, 'run it, 3 s')!.click()
  await settled()
  expect(button(box, 'call it off')).toBeDefined()
  button(box, 'call it off')!.click()
  state = 'called off'
  await vi.advanceTimersByTimeAsync(500)
  await settled()
  expect(asked.some((one) => one.path.endsWith('/stop'))).toBe(true)
  expect(button(box, 'call it off')).toBeUndefined()
})

test('a line is added where the hand is, for the point that is spoken of there', async () => {
  const { box } = await page()
  await typed(lines(box), '0 s PT-3107 put 12 mA\n0 s ZV-2 put closed')
  ;(lines(box) as unknown as HTMLTextAreaElement).setSelectionRange(5, 5)
  button(box, 'take off')!.click()
  await settled()
  expect(lines(box).value.split('\n')[1]).toMatch(/^\+5 s\s+PT-3107\s+take off/)
})

test('a script that is dropped stays in the field until it is kept again', async () => {
  const { box } = await page({ 'DELETE /api/scripts/{name}': {} })
  await open(box, 'burner')
  button(box, 'drop')!.click()
  await settled()
  expect(lines(box).value).toBe(KEPT.text)
  expect(box.textContent).toContain('keep it again to take that back')
})
