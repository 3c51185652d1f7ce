import { expect, test, vi } from 'vitest'
import { createPinia, setActivePinia } from 'pinia'
import { nextTick, ref } from 'vue'
import type { Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import { FRESH } from './rows'
import { at } from './selection'
import { useGrid } from './useGrid'

const field = (name: string, kind: string): Schemas['FieldOut'] => ({
  name,
  station: 'POINT',
  label: name,
  kind,
  says: name,
  width: 50,
  choices: [],
  applies: [],
  listed: true,
  group: '',
  unit: '',
})
const FIELDS = [field('tag', 'text'), field('service', 'text'), field('now', 'live'), field('area', 'text')]

function desk(role: 'engineer' | 'reader' = 'engineer') {
  setActivePinia(createPinia())
  const plant = usePlant()
  const rights = role === 'engineer' ? ['read', 'edit'] : ['read']
  plant.session = { account: 'ana', role, rights, csrf: '', asks_old: false }
  plant.list.load({
    seq: 0,
    ids: [11, 12, 13],
    racks: [1, 1, 1],
    columns: { tag: ['A', 'B', 'C'], service: ['gas', 'air', 'oil'], area: ['k1', 'k2', 'k3'] },
  })
  const saved: { edits: Schemas['EditIn'][]; source?: string }[] = []
  plant.save = (edits, source) => {
    saved.push({ edits, source })
    return Promise.resolve(undefined)
  }
  const rows = ref([0, 1, 2])
  const opened: number[] = []
  const beyond: Record<string, string>[] = []
  const filtered: string[] = []
  const typed: [string, string][] = []
  const grid = useGrid({
    rows: () => rows.value,
    fields: () => FIELDS,
    page: () => 10,
    focus: () => undefined,
    show: () => undefined,
    open: (point) => opened.push(point),
    find: () => undefined,
    turn: () => undefined,
    rename: () => false,
    filter: (field) => filtered.push(field),
    fresh: (field, text) => (typed.push([field, text]), Promise.resolve(text === 'D' ? 14 : undefined)),
    more: (lines) => beyond.push(...lines),
  })
  const press = (...keys: string[]) => {
    for (const key of keys) {
      const [name, ...with_] = key.split('+').reverse()
      grid.key(
        new KeyboardEvent('keydown', {
          key: name!,
          ctrlKey: with_.includes('ctrl'),
          shiftKey: with_.includes('shift'),
          altKey: with_.includes('alt'),
          cancelable: true,
        }),
      )
    }
  }
  return { plant, grid, rows, saved, opened, filtered, typed, beyond, press }
}

test('typing starts an edit and loses no key, however fast it comes', () => {
  const { grid, saved, press } = desk()
  press('ArrowRight', 's', 't', 'e', 'a', 'x', 'Backspace', 'm', 'Enter')
  expect(saved).toEqual([
    { edits: [{ point: 11, field: 'service', was: 'gas', text: 'steam' }], source: undefined },
  ])
  expect(grid.selection.value).toEqual(at(1, 1))
})

test('F2 edits what is there; the first key after it replaces it, escape leaves it', () => {
  const { grid, saved, press } = desk()
  press('F2')
  expect(grid.editing.value?.text).toBe('A')
  press('Escape')
  expect(grid.editing.value).toBeNull()
  expect(saved).toEqual([])
})

test('Esc with nothing that waits in the cell is left to the panel beside the list', () => {
  const { grid } = desk()
  const escape = new KeyboardEvent('keydown', { key: 'Escape', cancelable: true })
  grid.key(escape)
  expect(escape.defaultPrevented).toBe(false)
})

test('a column that is worked out and a reader are told why there is nothing to type', () => {
  const { plant, grid, press } = desk()
  press('End', 'ArrowLeft', 'x')
  expect(grid.editing.value).toBeNull()
  expect(plant.notice?.text).toContain('worked out')
  const reader = desk('reader')
  reader.press('x')
  expect(reader.plant.notice?.text).toBe('a reader may look, not change')
})

test('fill down takes the top row of the selection', () => {
  const { saved, press } = desk()
  press('ArrowRight', 'shift+ArrowDown', 'shift+ArrowDown', 'ctrl+d')
  expect(saved[0]?.edits.map((e) => [e.point, e.text])).toEqual([
    [12, 'gas'],
    [13, 'gas'],
  ])
})

test('what was typed a moment ago is filled, once the server has answered it', async () => {
  const { plant, saved, press } = desk()
  plant.waiting.set('11:service', { point: 11, field: 'service', was: 'gas', text: 'steam', state: 'saving', says: '' }) // prettier-ignore
  let answered: () => void = () => undefined
  const answer = new Promise<void>((resolve) => (answered = resolve))
  let saving = true
  plant.isSaving = () => saving
  plant.answeredAll = () => answer
  press('ArrowRight', 'shift+ArrowDown', 'shift+ArrowDown', 'ctrl+d')
  await nextTick()
  expect(saved).toEqual([])
  saving = false
  plant.list.apply({ seq: 1, cells: [[12, 'service', 'typed before']] } as never)
  answered()
  await vi.waitFor(() => expect(saved.length).toBe(1))
  expect(saved[0]?.edits.map((e) => [e.point, e.was, e.text])).toEqual([
    [12, 'typed before', 'steam'],
    [13, 'oil', 'steam'],
  ])
})

test('delete empties what can be typed and leaves the rest alone', () => {
  const { saved, press } = desk()
  press('ArrowRight', 'shift+End', 'Delete')
  expect(saved[0]?.edits.map((e) => [e.field, e.text])).toEqual([
    ['service', ''],
    ['area', ''],
  ])
})

test('enter opens the point, and a filter keeps the hand on it', async () => {
  const { grid, rows, opened, press } = desk()
  press('ArrowDown', 'ArrowDown', 'Enter')
  expect(opened).toEqual([13])
  rows.value = [1, 2]
  await nextTick()
  expect(grid.activePoint.value).toBe(13)
  rows.value = [0]
  await nextTick()
  expect(grid.activePoint.value).toBe(11)
})

test('a paste that is larger than what is left stops at the edge', async () => {
  const { plant, grid, saved, press } = desk()
  press('ArrowDown', 'ArrowDown', 'End')
  const clipboardData = { getData: () => 'x\ty\nz\tw' }
  grid.paste(
    Object.assign(new Event('paste', { cancelable: true }), { clipboardData }) as unknown as ClipboardEvent,
  )
  expect(saved[0]).toEqual({ edits: [{ point: 13, field: 'area', was: 'k3', text: 'x' }], source: 'pasted' })
  expect(grid.selection.value.active).toEqual({ row: 2, col: 3 })
  await vi.waitFor(() => expect(plant.notice).not.toBeNull())
  expect(plant.notice).toMatchObject({ text: '1 of 1 cells pasted over what stood there', undo: true })
})

test('what stood in the cell when the typing began decides, whatever others write meanwhile', () => {
  const { plant, grid, saved, press } = desk()
  press('ArrowRight', 'F2')
  plant.list.apply({ seq: 1, cells: [[11, 'service', 'theirs']] } as never)
  grid.editing.value!.text = 'mine'
  press('Enter')
  expect(saved).toEqual([
    { edits: [{ point: 11, field: 'service', was: 'gas', text: 'mine' }], source: undefined },
  ])
})

test('a text for the whole block goes against what stood in it when the typing began', () => {
  const { plant, grid, saved, press } = desk()
  press('ArrowRight', 'shift+ArrowDown', 'F2')
  plant.list.apply({ seq: 1, cells: [[11, 'service', 'theirs']] } as never)
  grid.editing.value!.text = 'mine'
  grid.accept('all')
  expect(saved[0]!.edits).toEqual([
    { point: 11, field: 'service', was: 'gas', text: 'mine' },
    { point: 12, field: 'service', was: 'air', text: 'mine' },
  ])
})

test('rows that move under an open cell take nothing away from it', () => {
  const { grid, rows, saved, press } = desk()
  press('ArrowRight', 'F2')
  rows.value = [2, 1, 0]
  grid.editing.value!.text = 'mine'
  grid.accept('stay')
  expect(saved[0]!.edits).toEqual([{ point: 11, field: 'service', was: 'gas', text: 'mine' }])
})

test('a column fills down as far as the one beside it is filled', () => {
  const { grid, saved } = desk()
  grid.go(at(0, 1))
  grid.fillAlong()
  expect(saved).toEqual([
    {
      source: 'filled down',
      edits: [
        { point: 12, field: 'service', was: 'air', text: 'gas' },
        { point: 13, field: 'service', was: 'oil', text: 'gas' },
      ],
    },
  ])
})

test('beside nothing, nothing is filled, and that is said', () => {
  const { grid, saved, plant } = desk()
  grid.go(at(2, 1))
  grid.fillAlong()
  expect(saved).toEqual([])
  expect(plant.notice?.text).toContain('nothing to fill along')
})

test('a reader who fills is told that he may not', () => {
  const { grid, saved, plant } = desk('reader')
  grid.go(at(0, 1))
  grid.fillAlong()
  expect([saved, plant.notice?.text]).toEqual([[], 'a reader may look, not change'])
})

test('Alt with the arrow down filters by the column of the hand, and the hand stays', () => {
  const { grid, filtered, press } = desk()
  press('ArrowRight', 'alt+ArrowDown')
  expect([filtered, grid.selection.value]).toEqual([['service'], at(0, 1)])
})

test('the empty last row takes what is typed, is opened by Enter, and is left empty by no other key', async () => {
  const { grid, rows, saved, opened, typed, press } = desk()
  rows.value = [0, 1, 2, FRESH]
  await nextTick()
  press('ctrl+ArrowDown', 'Enter', 'Escape', 'n', 'e', 'w', 'Enter', 'Delete')
  await nextTick()
  expect(typed).toEqual([['tag', 'new'], ['tag', '']]) // prettier-ignore
  expect([saved, opened]).toEqual([[], []])
  expect(grid.selection.value, 'ready for the next one').toEqual(at(3, 0))
})

test('Tab goes on along the point that was made of the empty row', async () => {
  const { plant, grid, rows, press } = desk()
  rows.value = [0, 1, 2, FRESH]
  await nextTick()
  press('ctrl+ArrowDown', 'D', 'Tab')
  plant.list.place({ added: [{ id: 14, rack: 1, cells: { tag: 'D' } }] })
  rows.value = [0, 1, 2, 3, FRESH]
  await vi.waitFor(() => expect(grid.selection.value).toEqual(at(3, 1)))
})

test('lines pasted into the empty row are new points', async () => {
  const { grid, rows, beyond, press } = desk()
  rows.value = [0, 1, 2, FRESH]
  await nextTick()
  press('ctrl+ArrowDown')
  const clipboardData = { getData: () => 'D\twater\nE\tsteam' }
  grid.paste({ clipboardData, preventDefault: () => undefined } as unknown as ClipboardEvent)
  expect(beyond).toEqual([{ tag: 'D', service: 'water' }, { tag: 'E', service: 'steam' }]) // prettier-ignore
})
