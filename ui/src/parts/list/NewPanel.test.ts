import { afterEach, expect, test, vi } from 'vitest'
import {
  answering,
  button,
  cleared,
  field,
  mounted,
  plantOf,
  sent,
  settled,
  typed,
} from '../../testing/mounted'
import NewPanel from './NewPanel.vue'

afterEach(cleared)

const WOULD = { rows: [{ tag: 'PT-3108', channel: 'KC-2·1·2·5', service: 'gas' }], troubles: [] }
const MADE = {
  seq: 6,
  left: [],
  change: {
    seq: 6,
    cells: [],
    added: [{ id: 13, rack: 1, cells: { tag: 'PT-3108' } }],
    closed: [],
    opened: [],
  },
}

async function panel(answers: Record<string, unknown> = {}, props: object = {}) {
  vi.useFakeTimers()
  const plant = plantOf()
  const asked = answering({
    'GET /api/typicals': { typicals: [{ name: 'pressure', points: 0, says: '', cells: {} }] },
    'POST /api/series': { texts: ['PT-3108'] },
    'POST /api/points/preview': WOULD,
    'POST /api/points': MADE,
    ...answers,
  })
  const made: number[][] = []
  const box = await mounted(NewPanel, { chosen: 11, pasted: [], onMade: (points: number[]) => made.push(points), ...props }) // prettier-ignore
  await settled()
  await looked()
  return { plant, asked, box, made }
}
const looked = async () => (await vi.advanceTimersByTimeAsync(300), await settled())

test('the next tag after the chosen one is offered, and what will be is shown before it is made', async () => {
  const { box, asked } = await panel()
  expect(field(box, 'first tag').value).toBe('PT-3108')
  expect(asked.filter((a) => a.path === '/api/points/preview').at(-1)!.body).toMatchObject({
    count: 1,
    cells: { tag: 'PT-3108' },
  })
  expect(box.textContent).toContain('KC-2·1·2·5')
})

test('points are made once, however often one presses', async () => {
  let answer: (made: unknown) => void = () => undefined
  const { box, asked, made, plant } = await panel({
    'POST /api/points': () => new Promise((given) => (answer = given)),
  })
  await sent(box)
  await sent(box)
  answer(MADE)
  await settled()
  expect(asked.filter((a) => a.path === '/api/points').length).toBe(1)
  expect(made).toEqual([[13]])
  expect(plant.notice?.text).toBe('1 point made · Ctrl+Z takes them back')
})

test('a tag that is in the list already is told before it is made twice', async () => {
  const { box } = await panel({ 'POST /api/points/preview': { rows: [{ tag: 'zv-2' }], troubles: [] } })
  expect(box.textContent!.replace(/\s+/g, ' ')).toContain('1 of these tags are in the list already: zv-2')
})

test('what cannot be is told, and nothing can be made of it', async () => {
  const { box } = await panel({ 'POST /api/points/preview': 'the channel KC-9 is not there' })
  expect(box.querySelector('p[role=alert]')!.textContent).toContain('the channel KC-9 is not there')
  expect([...box.querySelectorAll<HTMLButtonElement>('button[type=submit]')][0]!.disabled).toBe(true)
})

test('an answer that comes late says nothing any more', async () => {
  const waiting: ((rows: unknown) => void)[] = []
  const { box } = await panel({
    'POST /api/points/preview': () => new Promise((given) => waiting.push(given)),
  })
  await typed(field(box, 'service'), 'air')
  await looked()
  expect(waiting.length).toBeGreaterThan(1)
  waiting.at(-1)!({ rows: [{ tag: 'PT-3108', service: 'air' }], troubles: [] })
  await settled()
  for (const earlier of waiting.slice(0, -1))
    earlier({ rows: [{ tag: 'PT-3108', service: 'stale' }], troubles: [] })
  await settled()
  expect(box.querySelector('ul')!.textContent).toContain('air')
  expect(box.querySelector('ul')!.textContent).not.toContain('stale')
})

test('lines that were pasted below the last row are made as they are', async () => {
  const pasted = [{ tag: 'PT-9' }, { tag: 'PT-10' }]
  const { box, asked } = await panel({}, { chosen: null, pasted })
  expect(box.textContent).toContain('2 lines below the last row')
  expect(box.querySelector('[aria-label="first tag"]')).toBeNull()
  await sent(box)
  expect(asked.at(-1)!.body).toMatchObject({ count: 0, rows: pasted })
})

test('a cell that could not be taken stays with its reason and is kept as typed', async () => {
  const left = [{ point: 13, field: 'channel', typed: 'KC-9', says: 'no such channel' }]
  const { plant, box } = await panel({ 'POST /api/points': { ...MADE, left } })
  await sent(box)
  await settled()
  expect(plant.notice?.text ?? '').not.toContain('made')
  expect(button(box, 'make 1')).toBeDefined()
})
