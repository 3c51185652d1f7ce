import { Coded } from './column'
import { ListColumns, type Change } from './columns'
import { find, search } from './find'

function list(): ListColumns {
  const made = new ListColumns()
  made.load({
    seq: 4,
    ids: [11, 12, 13],
    racks: [1, 1, 2],
    columns: {
      tag: ['PT-1', 'PT-2', 'TE-1'],
      service: ['gas', 'air', 'crown'],
      area: ['kiln 1', 'kiln 2', 'kiln 2'],
    },
  })
  return made
}
const NOBODY = { live: () => undefined, findings: () => [], locked: () => false, waiting: () => false }
const found = (made: ListColumns, query: string) => find(made, search(query, made, [], NOBODY))
const change = (seq: number, text: string): Change => ({
  seq,
  at: '',
  who: 'ana',
  source: 'typed',
  cells: [[12, 'service', text]],
  closed: [],
  opened: [],
})

test('a change is taken once, in whatever way it comes', () => {
  const made = list()
  expect(made.apply(change(5, 'steam'))).toBe(true)
  expect(made.text('service', 1)).toBe('steam')
  expect(made.apply(change(5, 'again'))).toBe(false)
  expect(made.text('service', 1)).toBe('steam')
})

test('every word must be found, in any column, in any case', () => {
  const made = list()
  expect(found(made, 'KILN pt')).toEqual([0, 1])
  expect(found(made, 'crown pt')).toEqual([])
  expect(found(made, '  ')).toEqual([0, 1, 2])
  expect(find(made, search('kiln', made, [], NOBODY), new Set([2]))).toEqual([2])
})

test('what changed is found by its new words and no longer by its old', () => {
  const made = list()
  expect(found(made, 'air')).toEqual([1])
  made.apply(change(5, 'steam'))
  expect(found(made, 'air')).toEqual([])
  expect(found(made, 'steam')).toEqual([1])
})

test('a change of a point or a column that is not there is left alone', () => {
  const made = list()
  made.apply({ ...change(5, ''), cells: [[99, 'service', 'x'], [12, 'nothing', 'x']] }) // prettier-ignore
  expect(made.text('service', 1)).toBe('air')
})

test('a column that did not come is empty, and is there once something is written into it', () => {
  const made = list()
  expect(made.text('shunt_ohm', 1)).toBe('')
  made.apply({ ...change(5, 'x'), cells: [[12, 'shunt_ohm', '250']] })
  expect([made.text('shunt_ohm', 0), made.text('shunt_ohm', 1)]).toEqual(['', '250'])
  expect(found(made, '250')).toEqual([1])
})

test('a point that comes stands behind the others, one that goes leaves no other row moved', () => {
  const made = list()
  const before = made.structure.value
  made.apply({
    ...change(5, 'air'),
    added: [{ id: 14, rack: 2, cells: { tag: 'TE-2', area: 'kiln 1' } }],
    removed: [11],
  })
  expect([...made.rows()].map((row) => made.text('tag', row))).toEqual(['PT-2', 'TE-1', 'TE-2'])
  expect([made.length, made.row(11), made.row(14), made.racks[3]]).toEqual([3, undefined, 3, 2])
  expect(found(made, 'kiln 1')).toEqual([3])
  expect(made.structure.value).toBeGreaterThan(before)
  made.apply({ ...change(6, 'air'), racks: [[14, 1]] })
  expect(made.racks[3]).toBe(1)
})

/** The symbols as canaleta.web.kit.state has them: # and on, without the backslash. */
const HUNDRED = Array.from({ length: 91 }, (_, k) => (k ? `text ${k}` : ''))

test('a column of few texts says what came, and takes a change', () => {
  const list = new ListColumns()
  list.load({
    seq: 1,
    ids: HUNDRED.map((_, k) => k + 1),
    racks: HUNDRED.map(() => 1),
    columns: {
      service: new Coded([...HUNDRED], Uint8Array.from(HUNDRED.keys())),
      area: new Coded(['kiln'], new Uint8Array(91)),
    },
  })
  expect(HUNDRED.map((_, row) => list.text('service', row))).toEqual(HUNDRED)
  list.apply({ ...change(2, ''), cells: [[91, 'service', 'another']] })
  expect([list.text('service', 90), list.text('service', 89)]).toEqual(['another', 'text 89'])
  list.place({ added: [{ id: 200, rack: 1, cells: { service: 'new' } }] })
  expect([91, 90, 92].map((row) => list.text('service', row))).toEqual(['new', 'another', ''])
  expect([list.text('area', 91), list.text('area', 90)]).toEqual(['', 'kiln'])
})

test('a column that comes to have many different texts loses none of them, and all are found', () => {
  const list = new ListColumns()
  const ids = Array.from({ length: 600 }, (_, k) => k + 1)
  list.load({ seq: 1, ids, racks: ids.map(() => 1), columns: { area: new Coded(['kiln'], new Uint8Array(600)) } }) // prettier-ignore
  expect(found(list, 'kiln')).toHaveLength(600)
  list.apply({ ...change(2, ''), cells: ids.map((id) => [id, 'area', `Row ${id} of the mill`]) })
  expect([0, 254, 255, 256, 599].map((row) => list.text('area', row))).toEqual(
    [1, 255, 256, 257, 600].map((id) => `Row ${id} of the mill`),
  )
  expect(found(list, '"row 257 of"')).toEqual([256])
  expect(found(list, 'kiln')).toEqual([])
})

test('words of one search may stand in a column of few texts and in one of many', () => {
  const list = new ListColumns()
  const ids = [1, 2, 3]
  list.load({ seq: 1, ids, racks: [1, 1, 1], columns: { tag: ['PT-1', 'PT-2', 'TE-1'], area: new Coded(['Kiln 2', ''], Uint8Array.of(0, 1, 0)) } }) // prettier-ignore
  expect(found(list, 'pt kiln')).toEqual([0])
  expect(found(list, '-kiln')).toEqual([1])
  expect(found(list, 'kiln 2')).toEqual([0, 2])
})

test('points that one made oneself are told from those of others', () => {
  const made = list()
  const added = (id: number) => ({ added: [{ id, rack: 1, cells: { tag: `N-${id}` } }] })
  made.apply({ ...change(5, ''), ...added(20) }, true)
  made.apply({ ...change(6, ''), ...added(21) })
  expect([...made.mine]).toEqual([20])
})
