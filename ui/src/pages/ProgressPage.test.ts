import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, sent, settled, typed } from '../testing/mounted'
import ProgressPage from './ProgressPage.vue'

afterEach(cleared)

const RUNGS = ['wired', 'continuity', 'powered', 'loop-checked', 'function-tested', 'accepted']
const group = (name: string, counts: number[]) => ({
  name, points: counts.reduce((a, b) => a + b), counts, open_a: name ? 1 : 2, open_b: 0, open_c: 0,
}) // prettier-ignore
const TOLD = {
  rungs: RUNGS,
  whole: group('', [1, 2, 0, 0, 4, 0, 3]),
  groups: [group('kiln 2', [0, 2, 0, 0, 4, 0, 3]), group('', [1, 0, 0, 0, 0, 0, 0])],
}

async function page(answers: Record<string, unknown> = {}, rights?: string[]) {
  const plant = plantOf(rights)
  plant.list.load({
    seq: 6,
    ids: [11, 12],
    racks: [1, 2],
    columns: { tag: ['PT-3107', 'ZV-2'], area: ['kiln 2', 'kiln 2'], status: ['loop-checked', 'wired'] },
  })
  const asked = answering({ 'GET /api/progress': TOLD, ...answers })
  const box = await mounted(ProgressPage)
  await settled()
  return { box, asked }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('every part says how many points are on a rung or above it', async () => {
  const { box } = await page()
  const row = [...box.querySelectorAll('tbody tr')].find((tr) => tr.textContent!.includes('kiln 2'))!
  // 9 points: all wired, 7 loop-checked or further, 3 accepted.
  expect(flat(row as HTMLElement)).toContain('9 100 %')
  expect(flat(row as HTMLElement)).toContain('7 77 %')
  expect(flat(row as HTMLElement)).toContain('3 33 %')
  expect(row.querySelector('.bar')!.getAttribute('aria-label')).toContain('4 loop-checked')
  expect(flat(box)).toContain('no area')
})

test('what is ready in a part is accepted, and who is not is named with why', async () => {
  const refused = {
    point: 11,
    tag: 'PT-3107',
    reasons: [{ code: 'open A', says: 'punch item 4 of severity A is open' }],
  }
  const { box, asked } = await page({ 'POST /api/acceptance': { accepted: [], refused: [refused] } })
  button(box, 'kiln 2')!.click()
  await settled()
  expect(flat(box)).toContain('kiln 2: 2 not accepted yet, 1 ready to be')
  await typed(field(box, 'your name'), 'B. Roca')
  await typed(field(box, 'your password once more'), 'a long word')
  await sent(box)
  await settled()
  expect(asked.find((a) => a.path === '/api/acceptance')!.body).toEqual({
    points: [11], name: 'B. Roca', password: 'a long word',
  }) // prettier-ignore
  expect(flat(box)).toContain('▲ PT-3107 punch item 4 of severity A is open')
  expect(field(box, 'your password once more').value).toBe('')
})

test('who is no engineer sees who accepts', async () => {
  const { box } = await page({}, ['look', 'read', 'edit'])
  button(box, 'kiln 2')!.click()
  await settled()
  expect(flat(box)).toContain('an engineer accepts them')
})
