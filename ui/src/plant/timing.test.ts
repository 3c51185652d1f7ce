import { describe, expect, it } from 'vitest'
import { blocks, edgesOf, rounded, squareLine, withEdge } from './timing'

const x = (t: number) => t * 10

describe('a square line', () => {
  it('goes up and down at its edges and on to the end', () => {
    expect(squareLine([0, 1, 2, 3], [0, 1, 1, 0], x, 40, 2, 8)).toBe('M0 8H10V2H30V8H40')
  })
  it('leaves a gap where there is no state', () => {
    expect(squareLine([0, 1, 2, 3], [0, -1, -1, 1], x, 40, 2, 8)).toBe('M0 8H10M30 2H40')
  })
})

describe('spans of one state', () => {
  it('each last until the next, the last one to the end', () => {
    expect(blocks([0, 1, 2, 3], [0, 0, 1, 0], 4)).toEqual([
      { from: 0, to: 2, state: 0 },
      { from: 2, to: 3, state: 1 },
      { from: 3, to: 4, state: 0 },
    ])
  })
  it('leave out what has none', () => {
    expect(blocks([0, 1, 2, 3], [-1, 0, -1, -1], 4)).toEqual([{ from: 1, to: 2, state: 0 }])
  })
})

describe('levels and bands', () => {
  it('are rounded to what fits their span', () => {
    expect([rounded(123.4567, 600), rounded(0.123456, 1), rounded(-8.04, 200)]).toEqual([
      '123',
      '0.123',
      '-8',
    ])
  })
  it('have their edges between the names', () => {
    const text = 'low < 20 < normal < 80.5 < high'
    expect(edgesOf(text)).toEqual([20, 80.5])
    expect(withEdge(text, 1, '75')).toBe('low < 20 < normal < 75 < high')
    expect(edgesOf('')).toEqual([])
  })
})
