import { age, asTyped, decimalsFor, figure, fromLines, toLines } from './words'

test('figures have a true minus, thin spaces and fixed decimals', () => {
  expect(figure(-12345.678, 1)).toBe('\u221212\u202f345.7')
  expect(figure(-0.0001, 2)).toBe('0.00')
  expect(figure(Number.NaN, 2)).toBe('')
})

test('a five is rounded away from zero, as on the server', () => {
  expect([156.25, 0.15, -0.25, 0.35].map((v) => figure(v, 1))).toEqual(['156.3', '0.2', '\u22120.3', '0.4'])
})

test('typed numbers keep their decimals; other text stays as it is', () => {
  expect(asTyped('-32000')).toBe('\u221232\u202f000')
  expect(asTyped('10.00')).toBe('10.00')
  expect(asTyped('PT-3107')).toBe('PT-3107')
})

test('decimals follow the span', () => {
  expect([
    decimalsFor('0', '600'),
    decimalsFor('0', '25'),
    decimalsFor('0', ''),
    decimalsFor('0', '1'),
  ]).toEqual([1, 2, 1, 3])
})

test('ages are told in the unit that suits them', () => {
  expect([3, 120, 7200, 200_000].map(age)).toEqual(['3 s', '2 min', '2 h', '2 d'])
})

test('a table is typed one pair a line, or pasted from a sheet, and stored with semicolons', () => {
  expect(toLines('0 0; 1 3.4; 5 24.4')).toBe('0 0\n1 3.4\n5 24.4')
  expect(fromLines('0\t0\r\n\r\n 1\t3.4\n')).toBe('0 0; 1 3.4')
  expect(fromLines(toLines('0 0; 1 1'))).toBe('0 0; 1 1')
})
