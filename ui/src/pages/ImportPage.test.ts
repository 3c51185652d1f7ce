import { afterEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../testing/mounted'
import ImportPage from './ImportPage.vue'

afterEach(cleared)

const COUNTS = { same: 3, changed: 1, added: 2, renamed: 0, wrong: 1, out: 0, unmatched: 4, cells: 5 }
const CHOICES = {
  answers: {},
  match_by: 'tag',
  keep_old: false,
  renamed: 'asked',
  gone: false,
  leave: [],
  ours: [],
  joined: [],
}
const COLUMN = { at: 0, heading: 'Tag', unit: '', target: 'tag', why: 'named', likely: [], key: 'tag~tag' }
const RANGE = {
  ...COLUMN,
  at: 1,
  heading: 'Range',
  target: '',
  why: 'asked',
  likely: ['device_low'],
  key: 'range~figure',
}
const TABLE = {
  sheet: 0, name: 'list', heads: [0, 1], data: [1, 3], points: 1, columns: [COLUMN, RANGE], first: 0,
  top: [['Tag', 'Range'], ['PT-1', '0-6'], ['total', '1']], doubts: [], out: [{ row: 3, code: 'total' }],
} // prettier-ignore
const ASKED = {
  id: 'column@range~figure', code: 'column', heading: 'Range', says: 'what is “Range”?', examples: ['0-6'], rows: 1, answer: '',
  readings: [{ answer: 'device_low', says: 'device low' }, { answer: 'value_low', says: 'value low' }],
} // prettier-ignore
const JOB = {
  id: 7, name: 'kiln.csv', state: 'ready', busy: false, done: 1, says: '', sheets: [{ name: 'list', rows: 9, told: [] }],
  tables: [TABLE], beside: [], questions: [], answered: [], more: 0, recalled: '', decimal: '', first: [], reasons: [],
  choices: CHOICES, counts: COUNTS, does: null, weighs: false,
} // prettier-ignore
const MAPPINGS = { targets: [{ name: 'tag', label: 'tag' }], mappings: ['contractor'] }

async function page(answers: Record<string, unknown> = {}, rights?: string[]) {
  const plant = plantOf(rights)
  const asked = answering({
    'GET /api/mappings': MAPPINGS,
    'POST /api/imports/text': JOB,
    'GET /api/imports/{job}/lines': { lines: [], count: 1 },
    ...answers,
  })
  const box = await mounted(ImportPage)
  await settled()
  return { plant, asked, box }
}
async function pasted(box: HTMLElement, text = 'Tag\nPT-1') {
  await typed(field(box, 'pasted rows'), text)
  box.querySelector('form')!.dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))
  await settled()
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('what is pasted is read, and nothing is changed before it was looked at', async () => {
  const { box, asked } = await page()
  expect(button(box, 'read what is pasted')!.disabled).toBe(true)
  await pasted(box)
  expect(asked.find((one) => one.path === '/api/imports/text')!.body).toEqual({ text: 'Tag\nPT-1' })
  expect(flat(box)).toContain('bring in a list: kiln.csv')
  expect(asked.some((one) => one.path.endsWith('/apply'))).toBe(false)
  // The rows that most want a look come first: those that change something.
  expect(asked.at(-1)!.path).toBe('/api/imports/{job}/lines')
})

test('a file that cannot be read is told, and another can be chosen', async () => {
  const { box } = await page({ 'POST /api/imports/text': 'these rows have no headings' })
  await pasted(box)
  expect(box.querySelector('p[role=alert]')!.textContent).toContain('these rows have no headings')
  expect(field(box, 'pasted rows').value, 'what was pasted is kept').toBe('Tag\nPT-1')
})

test('a choice is sent with all the others, and until it is answered nothing can be taken in', async () => {
  let answer: (job: unknown) => void = () => undefined
  const { box, asked } = await page({
    'PUT /api/imports/{job}/choices': () => new Promise((given) => (answer = given)),
  })
  await pasted(box)
  expect(button(box, 'take it in')!.disabled).toBe(false)
  box.querySelectorAll<HTMLInputElement>('input[type=checkbox]')[1]!.click()
  await settled()
  expect(asked.at(-1)!.body).toEqual({ ...CHOICES, gone: true })
  expect(button(box, 'take it in')!.disabled).toBe(true)
  answer({ ...JOB, choices: { ...CHOICES, gone: true } })
  await settled()
  expect(button(box, 'take it in')!.disabled).toBe(false)
})

test('it is taken in as one change that can be undone', async () => {
  const { box, plant } = await page({ 'POST /api/imports/{job}/apply': { ...JOB, state: 'done' } })
  await pasted(box)
  button(box, 'take it in')!.click()
  await settled()
  expect(flat(box)).toContain('Taken in as one change: 2 new, 1 changed in 5 cells.')
  expect(plant.notice).toMatchObject({ text: 'kiln.csv is taken in', undo: true })
})

test('while it works its share is told, and it is looked at again until it is ready', async () => {
  vi.useFakeTimers()
  let done = 0.4
  const { box } = await page({
    'POST /api/imports/text': { ...JOB, state: 'reading', busy: true, done },
    'GET /api/imports/{job}': () => ((done += 0.3), done < 1 ? { ...JOB, state: 'planning', busy: true, done } : JOB), // prettier-ignore
  })
  await pasted(box)
  expect(flat(box)).toContain('reading kiln.csv … 40 %')
  await vi.advanceTimersByTimeAsync(300)
  await settled()
  expect(flat(box)).toContain('planning kiln.csv … 70 %')
  await vi.advanceTimersByTimeAsync(300)
  await settled()
  expect(button(box, 'take it in')).toBeDefined()
})

test('a server that is away while it works is asked again, and what was read stays', async () => {
  vi.useFakeTimers()
  let away = true
  const { box } = await page({
    'POST /api/imports/text': { ...JOB, state: 'reading', busy: true, done: 0.1 },
    'GET /api/imports/{job}': () => {
      if (away) throw new TypeError('no line')
      return JOB
    },
  })
  await pasted(box)
  await vi.advanceTimersByTimeAsync(400)
  away = false
  await vi.advanceTimersByTimeAsync(1500)
  await settled()
  expect(button(box, 'take it in')).toBeDefined()
})

test('the columns are kept under a name for the next list with the same heads', async () => {
  const { box, asked, plant } = await page({
    'PUT /api/imports/{job}/mapping': { mappings: ['contractor', 'kiln'] },
  })
  await pasted(box)
  await typed(field(box, 'name to keep the columns under'), ' kiln ')
  box.querySelector('aside form')!.dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))
  await settled()
  expect(asked.at(-1)!.body).toEqual({ name: 'kiln' })
  expect(plant.notice?.text).toContain('kept as “kiln”')
})

test('what a list would do to findings and values is said before it is done', async () => {
  const does = {
    opened: 1, closed: 2, moved: 1,
    findings: [{ rule: 'R07', severity: 'settle', text: 'the range is another' }],
    values: [{ tag: 'PT-1', at: '12 mA', was: '5.0', becomes: '6.0' }],
  } // prettier-ignore
  vi.useFakeTimers()
  const { box } = await page({
    'POST /api/imports/text': { ...JOB, weighs: true },
    'GET /api/imports/{job}': { ...JOB, does },
  })
  await pasted(box)
  expect(flat(box)).toContain('is being worked out')
  await vi.advanceTimersByTimeAsync(400)
  await settled()
  expect(flat(box)).toContain('it would raise 1 finding, settle 2 and move 1 value')
  expect(flat(box)).toContain('PT-1 at 12 mA: 5.0 → 6.0')
})

test('a question is answered by its key, and the answer is sent with all the others', async () => {
  const { box, asked } = await page({
    'POST /api/imports/text': { ...JOB, questions: [ASKED] },
    'PUT /api/imports/{job}/choices': JOB,
  })
  await pasted(box)
  expect(flat(box)).toContain('question 1 of 1')
  expect(flat(box)).toContain('what is “Range”?')
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key: '2', bubbles: true }))
  await settled()
  const sent = asked.find((one) => one.way === 'PUT')!
  expect((sent.body as typeof CHOICES).answers).toEqual({ 'column@range~figure': 'value_low' })
  expect(flat(box)).toContain('Nothing is open')
})

test('what is typed into a field is no answer to a question', async () => {
  const { box, asked } = await page({ 'POST /api/imports/text': { ...JOB, questions: [ASKED] } })
  await pasted(box)
  field(box, 'name to keep the columns under').dispatchEvent(
    new KeyboardEvent('keydown', { key: '1', bubbles: true }),
  )
  await settled()
  expect(asked.some((one) => one.way === 'PUT')).toBe(false)
})

test('an answer that was given can be asked again', async () => {
  const given = {
    ...ASKED,
    answer: 'device_low',
    says: '“Range” is',
    readings: [{ answer: 'device_low', says: 'device low' }],
  }
  const choices = { ...CHOICES, answers: { [ASKED.id]: 'device_low' } }
  const { box, asked } = await page({
    'POST /api/imports/text': { ...JOB, choices, answered: [given] },
    'PUT /api/imports/{job}/choices': JOB,
  })
  await pasted(box)
  button(box, 'ask again')!.click()
  await settled()
  expect((asked.find((one) => one.way === 'PUT')!.body as typeof CHOICES).answers).toEqual({})
})

test('the file is shown as it looks, with what its columns are taken for and the rows that are no points', async () => {
  const { box } = await page()
  await pasted(box)
  const file = box.querySelector('.file')!
  expect([...file.querySelectorAll('thead .chip')].map((one) => one.textContent!.trim())).toEqual([
    'tag',
    '? asked',
  ])
  expect(file.querySelector('tr.head')!.textContent).toContain('Range')
  expect(file.querySelector('tr.out')!.textContent!.replace(/\s+/g, ' ')).toContain('3total')
})

test('a file without a list shows its first rows, and one says where the heads are', async () => {
  const first = [{ name: 'cover', rows: [['a', 'b'], ['c', 'd']] }] // prettier-ignore
  const { box, asked } = await page({
    'POST /api/imports/text': { ...JOB, tables: [], says: 'no sheet holds a list', first },
    'PUT /api/imports/{job}/choices': JOB,
  })
  await pasted(box)
  expect(box.querySelector('.first [role=alert]')!.textContent).toContain('no sheet holds a list')
  box.querySelectorAll<HTMLButtonElement>('.first button')[1]!.click()
  await settled()
  expect(asked.find((one) => one.way === 'PUT')!.body).toMatchObject({ sheet: 0, header: 1 })
})

test('leaving it drops what was read, and a reader may not begin', async () => {
  const { box, asked } = await page({ 'DELETE /api/imports/{job}': {} })
  await pasted(box)
  button(box, 'leave it')!.click()
  await settled()
  expect(asked.at(-1)).toMatchObject({ way: 'DELETE', path: '/api/imports/{job}' })
  expect(field(box, 'pasted rows')).toBeDefined()
  cleared()
  const reader = await page({}, ['look', 'read'])
  expect(flat(reader.box)).toContain('a reader may look, not change')
  expect(reader.box.querySelector('textarea')).toBeNull()
})
