import { afterEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, sent, settled, typed } from '../testing/mounted'
import RevisionsPage from './RevisionsPage.vue'

afterEach(cleared)

const one = (id: number, mark: string, state: string) => ({
  id, mark, state, note: '', open_reason: '', who: 'ana', at: '2026-11-30T08:00:00Z', points: 286, findings: 13,
  hash: `${id}`.repeat(64), signatures: [],
}) // prettier-ignore
const all = (revisions: object[], more: object = {}) => ({
  revisions, next_mark: 'C', issued: 'B', changed: 0, bad: 0, ...more,
}) // prettier-ignore
const DIFFERENCES = { was: 'B', becomes: 'the list now', points: [], others: [] }

async function page(given: object, answers: Record<string, unknown> = {}, rights?: string[]) {
  const plant = plantOf(rights)
  const asked = answering({
    'GET /api/revisions': given,
    'GET /api/revisions/{revision}/differences': DIFFERENCES,
    ...answers,
  })
  const box = await mounted(RevisionsPage, {}, { at: '/revisions' })
  await settled()
  return { plant, asked, box }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('without an issue the page says what one is, and puts one up', async () => {
  const { box, asked, plant } = await page(all([], { next_mark: 'A', issued: '' }), {
    'POST /api/revisions': all([one(1, 'A', 'in check')]),
  })
  expect(flat(box)).toContain('Nothing was issued yet.')
  await typed(field(box, 'what it is for'), 'for the tender')
  await sent(box)
  await settled()
  expect(asked.find((a) => a.way === 'POST')!.body).toEqual({
    mark: 'A',
    note: 'for the tender',
    open_reason: '',
  })
  expect(plant.notice?.text).toBe('revision A is put up for check')
  expect(button(box, 'put up'), 'one at a time').toBeUndefined()
})

test('a list with bad findings goes out only with a reason', async () => {
  const { box, asked } = await page(all([], { bad: 2 }), {
    'POST /api/revisions': 'say why it goes out with 2 bad findings',
  })
  expect(flat(box)).toContain('2 findings are bad')
  await sent(box)
  await settled()
  expect(box.querySelector('p[role=alert]')!.textContent).toContain('say why it goes out with 2 bad findings')
  await typed(field(box, 'why with findings open'), 'the burner comes later')
  await sent(box)
  expect(asked.at(-1)!.body).toMatchObject({ open_reason: 'the burner comes later' })
})

test('it is signed with a name and the password, which is not kept on the page', async () => {
  const { box, asked } = await page(all([one(2, 'C', 'in check'), one(1, 'B', 'issued')]), {
    'POST /api/revisions/{revision}/signatures': 'that is not your password',
  })
  button(box, 'check…')!.click()
  await settled()
  expect(button(box, 'sign')!.disabled).toBe(true)
  await typed(field(box, 'name'), 'Ana Ruiz')
  await typed(field(box, 'your password'), 'kiln-on-the-hill')
  expect(button(box, 'sign')!.disabled).toBe(false)
  await sent(box)
  await settled()
  expect(asked.find((a) => a.path.endsWith('/signatures'))!.body).toEqual({ meaning: 'checked', password: 'kiln-on-the-hill', name: 'Ana Ruiz', remark: '' }) // prettier-ignore
  expect(box.querySelector('p[role=alert]')!.textContent).toContain('that is not your password')
  expect(field(box, 'your password').value).toBe('')
  expect(field(box, 'name').value, 'the name stays').toBe('Ana Ruiz')
})

test('what can be signed follows from where the issue stands', async () => {
  const { box } = await page(all([one(3, 'C', 'checked'), one(1, 'B', 'issued')]))
  expect(button(box, 'issue…')).toBeDefined()
  expect(button(box, 'check…')).toBeUndefined()
  expect(button(box, 'withdraw…')).toBeDefined()
})

test('Esc shuts the signature, and a reader signs nothing', async () => {
  const { box } = await page(all([one(3, 'C', 'checked')]))
  button(box, 'issue…')!.click()
  await settled()
  field(box, 'name').dispatchEvent(
    new KeyboardEvent('keydown', { key: 'Escape', bubbles: true, cancelable: true }),
  )
  await settled()
  expect(button(box, 'sign')).toBeUndefined()
  cleared()
  const reader = await page(all([one(3, 'C', 'checked')]), {}, ['look', 'read'])
  expect(button(reader.box, 'issue…')).toBeUndefined()
  expect(button(reader.box, 'put up')).toBeUndefined()
})

test('the list is compared with the last issue, and any two with each other', async () => {
  const { box, asked } = await page(all([one(2, 'C', 'in check'), one(1, 'B', 'issued')], { changed: 4 }), {
    'GET /api/revisions/{revision}/differences': {
      ...DIFFERENCES,
      points: [{ point: 11, tag: 'PT-3107', kind: 'changed', words: ['range'], moves: '', cells: [['value_high', '400', '500']] }],
    },
  }) // prettier-ignore
  expect(asked.some((a) => a.path.endsWith('/differences'))).toBe(true)
  expect(flat(box)).toContain('4 points changed since revision B')
  expect(flat(box)).toContain('1 point differs')
  expect(flat(box)).toContain('400')
  const print = vi.fn()
  vi.stubGlobal('print', print)
  button(box, 'print the redline')!.click()
  expect(print).toHaveBeenCalled()
})
