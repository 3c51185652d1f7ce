import { Coded, Texts, type Column, type Sought } from './column'
import { opened } from './snapshot'

const marked = (column: Column, sought: Sought) => {
  const marks = new Uint8Array(column.length)
  column.mark(sought, marks)
  return [...marks.keys()].filter((row) => marks[row])
}
const all = (column: Column) => Array.from({ length: column.length }, (_, row) => column.at(row))

test.each([
  ['texts', (texts: string[]): Column => Texts.of(texts)],
  [
    'few texts',
    (texts: string[]): Column =>
      new Coded(
        [...new Set(texts)],
        Uint8Array.from(texts, (text) => [...new Set(texts)].indexOf(text)),
      ),
  ],
])('a column of %s is found by any part of a text, and not over its end', (_, made) => {
  const column = made(['Pump 1', '', 'pump 12', 'fan', 'pump 1 of the pump house'])
  expect(marked(column, 'pump')).toEqual([0, 2, 4])
  expect(marked(column, 'fan')).toEqual([3])
  expect(marked(column, '1fan')).toEqual([])
  expect(marked(column, 'house')).toEqual([4])
  expect(marked(column, /pump 1(?!\d)/)).toEqual([0, 4])
  column.set(3, 'PUMP 1 standby')
  column.push('another pump')
  column.set(0, '')
  expect(marked(column, 'pump')).toEqual([2, 3, 4, 5])
  expect(marked(column, 'fan')).toEqual([])
  expect(all(column)).toEqual([
    '',
    '',
    'pump 12',
    'PUMP 1 standby',
    'pump 1 of the pump house',
    'another pump',
  ])
})

test('letters beyond the first, and those whose small form is longer, move no row', () => {
  // The Turkish İ becomes two letters when it is made small.
  const texts = ['🌡 crown', 'İzmir kiln', 'Öl', '']
  const column = Texts.of(texts)
  expect(all(column)).toEqual(texts)
  expect(marked(column, 'kiln')).toEqual([1])
  expect(marked(column, 'öl')).toEqual([2])
  expect(marked(column, 'crown')).toEqual([0])
})

test('a byte order mark that was pasted into the first cell moves no row', () => {
  const texts = ['\uFEFFPT-1', 'PT-2', 'PT-3']
  expect(all(Texts.of(texts))).toEqual(texts)
})

test('many changes are taken into the long text, and none is lost', () => {
  const column = Texts.of(Array.from({ length: 3000 }, (_, row) => `row ${row}`))
  for (let row = 0; row < 2500; row++) column.set(row, `changed ${row}`)
  for (let row = 3000; row < 4100; row++) column.push(`came ${row}`)
  expect([0, 2499, 2500, 2999, 3000, 4099].map((row) => column.at(row))).toEqual(
    ['changed 0', 'changed 2499', 'row 2500', 'row 2999', 'came 3000', 'came 4099'], // prettier-ignore
  )
  expect(column.length).toBe(4100)
  expect(marked(column, 'changed')).toHaveLength(2500)
  expect(marked(column, 'came 4099')).toEqual([4099])
})

/** A list of two points as the server lays it out, by hand: four-byte numbers little endian, then each column. */
function laidOut(): ArrayBuffer {
  const text = (words: string) => [...new TextEncoder().encode(words)]
  const number = (value: number) => [value & 255, (value >> 8) & 255, 0, 0]
  const head = text(
    '{"seq":7,"rows":2,"columns":[{"name":"area","texts":["kiln",""],"bits":1},{"name":"tag","bytes":5,"width":2}]}',
  )
  return Uint8Array.from([
    ...number(head.length), ...head,
    ...number(300), ...number(11),
    ...number(2), ...number(0),
    0b01,
    1, 0, 2, 0, ...text('Ö\nPT'),
  ]).buffer // prettier-ignore
}

test('the list is opened as the server laid it out', () => {
  const { seq, ids, racks, columns } = opened(laidOut())
  expect([seq, ids, racks]).toEqual([7, [300, 11], [2, 0]])
  expect(all(columns.area as Column)).toEqual(['', 'kiln'])
  expect(all(columns.tag as Column)).toEqual(['Ö', 'PT'])
})

test.each([1, 2, 4, 8])('places of %i bits a row are opened in their order, and changed', (bits) => {
  const each = 8 / bits
  const bytes = new Uint8Array(Math.ceil(9 / each))
  const places = Array.from({ length: 9 }, (_, row) => (row * 3) % Math.min(16, 1 << bits))
  for (const [row, place] of places.entries())
    bytes[Math.floor(row / each)]! |= place << (bits * (row % each))
  const texts = Array.from({ length: 16 }, (_, k) => `text ${k}`)
  const column = Coded.packed(texts, 9, bytes, bits)
  expect(all(column)).toEqual(places.map((place) => `text ${place}`))
  column.set(8, 'another')
  column.push('text 0')
  expect(all(column).slice(7)).toEqual([`text ${places[7]}`, 'another', 'text 0'])
})

test('a column that says the same everywhere takes no bits', () => {
  const column = Coded.packed(['mill'], 3, new Uint8Array(), 0)
  expect(marked(column, 'mill')).toEqual([0, 1, 2])
  column.set(1, 'fan')
  expect(all(column)).toEqual(['mill', 'fan', 'mill'])
})

test('a list that was cut on its way is refused', () => {
  const whole = laidOut()
  expect(() => opened(whole.slice(0, whole.byteLength - 1))).toThrow(RangeError)
})
