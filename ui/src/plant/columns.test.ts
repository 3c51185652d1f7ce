import { ListColumns, type Change } from './columns'

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
  expect(made.find('KILN pt')).toEqual([0, 1])
  expect(made.find('crown pt')).toEqual([])
  expect(made.find('  ')).toEqual([0, 1, 2])
  expect(made.find('kiln', new Set([2]))).toEqual([2])
})

test('what changed is found by its new words and no longer by its old', () => {
  const made = list()
  expect(made.find('air')).toEqual([1])
  made.apply(change(5, 'steam'))
  expect(made.find('air')).toEqual([])
  expect(made.find('steam')).toEqual([1])
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
  expect(made.find('250')).toEqual([1])
})
