import { afterEach, expect, test } from 'vitest'
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
import ReplacePanel from './ReplacePanel.vue'

afterEach(cleared)

const FIELDS = [
  { name: 'tag', station: 'PROCESS', label: 'tag', kind: 'text', listed: true, choices: [] },
  { name: 'service', station: 'PROCESS', label: 'service', kind: 'text', listed: true, choices: [] },
] // prettier-ignore
const answer = (cells: object[], more: object = {}) => ({
  cells,
  left: [],
  moved: [],
  moved_count: 0,
  opened: [],
  ...more,
})

async function panel(would: unknown, props: object = {}) {
  const plant = plantOf()
  plant.plant = { ...plant.plant!, fields: FIELDS } as never
  plant.list.load({
    seq: 5,
    ids: [11, 12, 13],
    racks: [1, 1, 1],
    columns: { tag: ['PT-1', 'PT-2', 'TE-1'], service: ['Kiln 1 gas', 'kiln 12 gas', 'Kiln 1'] },
  })
  const asked = answering({ 'POST /api/proposals': would })
  const box = await mounted(ReplacePanel, { rows: [0, 1, 2], field: 'service', points: [11], ...props })
  await settled()
  return { plant, asked, box }
}
const edits = (asked: { body: Record<string, unknown> }[]) =>
  (asked.at(-1)!.body.edits as { point: number; text: string }[]).map((e) => [e.point, e.text])
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('every cell is shown before it is done, letters large and small alike', async () => {
  const cells = [{ point: 11, field: 'service', was: 'Kiln 1 gas', becomes: 'oven 1 gas' }]
  const { box, asked } = await panel(answer(cells))
  await typed(field(box, 'find'), 'kiln')
  await typed(field(box, 'becomes'), 'oven')
  expect(flat(box)).toContain('3 cells would change')
  await sent(box)
  await settled()
  expect(asked.at(-1)!.body).toMatchObject({ apply: false, partial: true })
  expect(edits(asked)).toEqual([[11, 'oven 1 gas'], [12, 'oven 12 gas'], [13, 'oven 1']]) // prettier-ignore
  expect(flat(box)).toContain('PT-1 service Kiln 1 gas oven 1 gas')
})

test('capitals count, or whole cells alone, where one says so', async () => {
  const { box, asked } = await panel(answer([]))
  await typed(field(box, 'find'), 'Kiln 1')
  const [whole, exact] = box.querySelectorAll<HTMLInputElement>('input[type=checkbox]')
  exact!.click()
  await settled()
  expect(flat(box)).toContain('2 cells would change')
  whole!.click()
  await settled()
  expect(flat(box)).toContain('1 cell would change')
  await sent(box)
  expect(edits(asked)).toEqual([[13, '']])
})

test('signs of a pattern are looked for as they stand', async () => {
  const { box } = await panel(answer([]))
  await typed(field(box, 'find'), '.')
  expect(flat(box)).toContain('0 cells would change')
  await typed(field(box, 'find'), '$&')
  expect(button(box, 'show what it does')!.disabled).toBe(true)
})

test('what cannot be taken, what moves and what it raises is told first', async () => {
  const { box } = await panel(
    answer([{ point: 11, field: 'service', was: 'a', becomes: 'b' }], {
      left: [{ point: 13, field: 'service', says: 'the row is locked by ben' }],
      moved: [{ point: 11, at: '12 mA', was: '250', becomes: '300' }], moved_count: 4,
      opened: [{ key: 'R07:1', text: 'the range is another' }],
    }),
  ) // prettier-ignore
  await typed(field(box, 'find'), 'kiln')
  await sent(box)
  await settled()
  expect(flat(box)).toContain('TE-1 the row is locked by ben')
  expect(flat(box)).toContain('4 values move; the first: PT-1 at 12 mA 250 → 300')
  expect(flat(box)).toContain('▲ the range is another')
})

test('when something else is typed, what was looked at no longer stands', async () => {
  const { box } = await panel(answer([{ point: 11, field: 'service', was: 'a', becomes: 'b' }]))
  await typed(field(box, 'find'), 'kiln')
  await sent(box)
  await settled()
  expect(button(box, 'replace in 1 cells')).toBeDefined()
  await typed(field(box, 'becomes'), 'furnace')
  expect(button(box, 'show what it does')).toBeDefined()
})

test('of several rows that are selected only those are meant', async () => {
  const { box, asked } = await panel(answer([]), { points: [11, 12] })
  await typed(field(box, 'find'), 'kiln')
  await sent(box)
  expect(edits(asked).map(([point]) => point)).toEqual([11, 12])
})
