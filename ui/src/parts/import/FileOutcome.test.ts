import { afterEach, expect, test, vi } from 'vitest'
import { button, cleared, mounted, plantOf } from '../../testing/mounted'
import FileOutcome from './FileOutcome.vue'

afterEach(cleared)

const LINE = {
  row: 7,
  kind: 'changed',
  tag: 'PT-3107',
  point: 11,
  cells: [],
  troubles: [],
  says: '',
  by_choice: false,
}

async function outcome(kind: string, lines: object[], more: Record<string, unknown> = {}) {
  const plant = plantOf()
  plant.plant = {
    ...plant.plant,
    fields: [{ name: 'value_high', label: 'scaled to', station: 'VALUE' }],
  } as never
  const counts = { added: 0, changed: 1, same: 2, out: 1, cells: 1, wrong: 1, unmatched: 0 }
  return mounted(FileOutcome, { kind, start: 0, counts, lines, count: lines.length, ...more })
}

test('a cell that changes tells what stands there and what comes, and can stay ours', async () => {
  const ours = vi.fn()
  const box = await outcome('changed', [{ ...LINE, cells: [['value_high', '500', '600']] }], { onOurs: ours })
  const cell = box.querySelector('.cellchange')!.textContent!.replace(/\s+/g, ' ')
  expect(cell).toContain('value scaled to 500 600')
  button(box, 'keep ours')!.click()
  expect(ours).toHaveBeenCalledWith(7, 'value_high')
})

test('a row that somebody left out can come in after all, whatever the words say; any other cannot', async () => {
  const leave = vi.fn()
  const rows = [
    { ...LINE, kind: 'out', row: 3, says: 'worded otherwise', by_choice: true },
    { ...LINE, kind: 'out', row: 4, says: 'left out by choice' },
  ]
  const box = await outcome('out', rows, { onLeave: leave })
  expect([...box.querySelectorAll('button.mini')].length).toBe(1)
  button(box, 'take in after all')!.click()
  expect(leave).toHaveBeenCalledWith(3)
})

test('what cannot be read tells the cell, what was typed and why', async () => {
  const box = await outcome('wrong', [{ ...LINE, troubles: [['value_high', 'abc', '“abc” is no number']] }])
  expect(box.querySelector('td .bad')!.textContent!.replace(/\s+/g, ' ')).toContain(
    '■ value scaled to abc: “abc” is no number',
  )
})

test('nothing of a kind says none', async () => {
  expect((await outcome('added', [])).querySelector('.none')?.textContent).toBe('none')
})

test('another kind is chosen from its beginning', async () => {
  const kind = vi.fn()
  const start = vi.fn()
  const box = await outcome('changed', [LINE], { start: 100, 'onUpdate:kind': kind, 'onUpdate:start': start })
  ;[...box.querySelectorAll<HTMLButtonElement>('nav button')]
    .find((b) => b.textContent?.includes('left out'))!
    .click()
  expect(kind).toHaveBeenCalledWith('out')
  expect(start).toHaveBeenCalledWith(0)
})
