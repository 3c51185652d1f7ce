import { afterEach, expect, test, vi } from 'vitest'
import { button, cleared, mounted, plantOf } from '../../testing/mounted'
import FileOutcome from './FileOutcome.vue'

afterEach(cleared)

const LINE = {
  sheet: 0,
  code: '',
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
  return mounted(FileOutcome, {
    kind,
    start: 0,
    counts,
    lines,
    count: lines.length,
    reasons: [],
    sheets: ['list'],
    open: new Set(['form']),
    targets: [{ name: 'device_range', label: 'device range, both ends in one cell' }],
    ...more,
  })
}

test('a cell that changes tells what stands there and what comes, and can stay ours', async () => {
  const ours = vi.fn()
  const box = await outcome('changed', [{ ...LINE, cells: [['value_high', '500', '600']] }], { onOurs: ours })
  const cell = box.querySelector('.cellchange')!.textContent!.replace(/\s+/g, ' ')
  expect(cell).toContain('value scaled to 500 600')
  button(box, 'keep ours')!.click()
  expect(ours).toHaveBeenCalledWith(expect.objectContaining({ row: 7 }), 'value_high')
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
  expect(leave).toHaveBeenCalledWith(expect.objectContaining({ row: 3 }))
})

test('a reason is told once with its cells; each row shows what was typed', async () => {
  const reasons = [{ code: 'figure', field: 'value_high', says: '“abc” is no number', cells: 2, typed: ['abc', 'x'], asked: false }] // prettier-ignore
  const line = { ...LINE, troubles: [['value_high', 'abc', '“abc” is no number', 'figure']] }
  const box = await outcome('wrong', [line], { reasons })
  expect(box.querySelector('.reasons')!.textContent!.replace(/\s+/g, ' ')).toContain(
    '2 × value scaled to: “abc” is no number x',
  )
  expect(box.querySelector('td .bad')!.textContent!.replace(/\s+/g, ' ')).toBe('■ value scaled to abc')
})

test('what a question settles is amber, with a mark of its own', async () => {
  const line = { ...LINE, troubles: [['value_high', '24 V', 'may be two', 'form']] }
  const box = await outcome('wrong', [line])
  expect(box.querySelector('td .settle')!.textContent!.replace(/\s+/g, ' ')).toBe('▲ value scaled to 24 V')
})

test('points that look renamed get their new tags by one click, or stay apart', async () => {
  const renamed = vi.fn()
  const join = vi.fn()
  const line = { ...LINE, kind: 'renamed', cells: [['tag', 'PT-1', 'PT-9']] }
  const box = await outcome('renamed', [line], { onRenamed: renamed, onJoin: join })
  button(box, 'they got these new tags')!.click()
  expect(renamed).toHaveBeenCalledWith('joined')
  button(box, 'it is renamed')!.click()
  expect(join).toHaveBeenCalledWith(expect.objectContaining({ row: 7 }))
})

test('what is neither field nor column of ours is called as the file is asked about it', async () => {
  const reasons = [
    { code: 'form', field: 'device_range', says: 'x', cells: 1, typed: ['25 bar'], asked: true },
  ]
  const line = { ...LINE, troubles: [['device_range', '25 bar', 'x', 'form']] }
  const box = await outcome('wrong', [line], { reasons })
  expect(box.querySelector('td .settle')!.textContent).toContain('device range, both ends in one cell')
  expect(box.querySelector('nav .settle')!.textContent, 'open, not wrong').toContain('cells not taken')
})

test('nothing of a kind says none', async () => {
  expect((await outcome('added', [])).querySelector('.none')?.textContent).toBe('none')
})

test('another kind is chosen from its beginning', async () => {
  const kind = vi.fn()
  const start = vi.fn()
  const box = await outcome('changed', [LINE], { start: 100, 'onUpdate:kind': kind, 'onUpdate:start': start })
  ;[...box.querySelectorAll<HTMLButtonElement>('nav button')]
    .find((b) => b.textContent?.includes('rows left out'))!
    .click()
  expect(kind).toHaveBeenCalledWith('out')
  expect(start).toHaveBeenCalledWith(0)
})
