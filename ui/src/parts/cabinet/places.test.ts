import { expect, test } from 'vitest'
import { placeOf, STYLES, TABLES, written } from './places'

test.each([
  // MODBUS Application Protocol V1.1b3, 6.3, 6.1 and 6.2: 108, 20 and 197 are sent as 0x6B, 0x13 and 0xC4.
  ['input registers', 0x6b, ['107', '108', '0x006B', '30108']],
  ['coils', 0x13, ['19', '20', '0x0013', '00020']],
  ['discrete inputs', 0xc4, ['196', '197', '0x00C4', '10197']],
  ['holding registers', 9999, ['9999', '10000', '0x270F', '410000']],
] as const)('%s %i is written in every style and read again', (table, place, texts) => {
  expect(STYLES.map((style) => written(table, place, style))).toEqual(texts)
  for (const [k, style] of STYLES.entries()) expect(placeOf(texts[k]!, style)).toMatchObject({ place })
})

test('a leading digit names its table, and other ways to write it are read', () => {
  expect(placeOf('40001', STYLES[3])).toEqual({ place: 0, table: 'holding registers' })
  expect(placeOf('3x17', STYLES[3])).toEqual({ place: 16, table: 'input registers' })
  expect(placeOf('17', STYLES[3])).toEqual({ place: 16, table: 'coils' })
  expect(placeOf('1Fh', 'from 1')).toEqual({ place: 31 })
  expect(placeOf('10', 'hexadecimal')).toEqual({ place: 16 })
  expect(TABLES).toHaveLength(4)
})

test.each([
  ['0', 'from 1', 'no place 0'],
  ['40000', STYLES[3], 'counted from 1'],
  ['20001', STYLES[3], 'a digit for the table'],
  ['65536', 'from 0', 'beyond the last'],
  ['xyz', 'hexadecimal', '0x001F'],
  ['1.5', 'from 0', 'whole number'],
] as const)('%s %s is no place, and why is told', (text, style, why) => {
  expect(placeOf(text, style)).toContain(why)
})
