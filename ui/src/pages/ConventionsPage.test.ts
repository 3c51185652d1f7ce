import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, mounted, plantOf, settled, typed } from '../testing/mounted'
import ConventionsPage from './ConventionsPage.vue'

afterEach(cleared)

const convention = (name: string, says: string, text: string) => ({ name, says, text, choices: [] })
const ALL = [
  convention('agreement', 'two that read the same may differ by', '2 %'),
  convention('channel_base', 'channels count from', '1'),
]
const QUIET = {
  opened: 0,
  altered: 0,
  closed: 0,
  values_count: 0,
  values: [],
  moved: [],
  findings: [],
  renamed: [],
}

async function page(does: unknown = QUIET, rights?: string[]) {
  const plant = plantOf(rights)
  const asked = answering({
    'GET /api/conventions': { conventions: ALL },
    'GET /api/conventions/supplies': { text: '', supplies: [] },
    'POST /api/conventions': does,
  })
  const box = await mounted(ConventionsPage)
  await settled()
  return { plant, asked, box }
}
async function entered(box: HTMLElement, now: string, text: string) {
  button(box, now)!.click()
  await settled()
  const input = box.querySelector<HTMLInputElement>('dd input')!
  await typed(input, text)
  input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }))
  await settled()
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')
const sentWith = (asked: { way: string; body: Record<string, unknown> }[]) =>
  asked.filter((one) => one.way === 'POST').map((one) => one.body.apply)

test('what touches nothing but itself is done at once', async () => {
  const { box, asked } = await page()
  await entered(box, '2 %', '3 %')
  expect(sentWith(asked)).toEqual([false, true])
  expect(asked.find((a) => a.way === 'POST')!.body).toMatchObject({
    edits: [{ name: 'agreement', was: '2 %', text: '3 %' }],
  })
})

test('what raises findings or moves values is looked at first', async () => {
  const finding = {
    key: 'R07:1',
    rule: 'R07',
    severity: 'settle',
    text: 'they differ by 2.5 %',
    cells: [{ point: 11, field: '' }],
  }
  const { box, asked } = await page({ ...QUIET, opened: 1, findings: [finding] })
  await entered(box, '2 %', '1 %')
  expect(sentWith(asked)).toEqual([false])
  expect(flat(box)).toContain('two that read the same may differ by: 2 % → 1 %')
  expect(flat(box)).toContain('would raise 1 finding')
  expect(flat(box)).toContain('PT-3107 they differ by 2.5 %')
  button(box, 'leave it')!.click()
  await settled()
  expect(sentWith(asked)).toEqual([false])
  await entered(box, '2 %', '1 %')
  button(box, 'do it')!.click()
  await settled()
  expect(sentWith(asked)).toEqual([false, false, true])
})

test('what cannot be is told at its place, and what was typed is kept there', async () => {
  const { box } = await page('a share is between 0 and 100 %')
  await entered(box, '2 %', '200 %')
  expect(box.querySelector('p[role=alert]')!.textContent).toContain('a share is between 0 and 100 %')
  expect(button(box, '200 %')).toBeDefined()
  button(box, 'leave it as it was')!.click()
  await settled()
  expect(button(box, '2 %')).toBeDefined()
})

test('who is no engineer is told who changes them', async () => {
  const { box, plant } = await page(QUIET, ['look', 'read', 'edit'])
  button(box, '2 %')!.click()
  await settled()
  expect(plant.notice?.text).toContain('an engineer changes the conventions')
  expect(box.querySelector('dd input')).toBeNull()
})

test('every convention stands somewhere, and the supplies in their table', async () => {
  const all = [
    ...ALL,
    convention('of_a_new_kind', 'something that no part takes', '7'),
    convention('supplies', 'supplies', ''),
  ]
  plantOf()
  answering({
    'GET /api/conventions': { conventions: all },
    'GET /api/conventions/supplies': { text: '', supplies: [] },
  })
  const box = await mounted(ConventionsPage)
  await settled()
  expect(flat(box)).toContain('something that no part takes')
  expect([...box.querySelectorAll('h2')].map((h) => h.textContent)).toContain('supplies and fuses')
  expect(box.querySelectorAll('dt').length).toBe(3)
})
