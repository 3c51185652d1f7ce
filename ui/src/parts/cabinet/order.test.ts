import { describe, expect, it } from 'vitest'
import { dropPlace, movedOrder } from './order'

describe('a module along the rail', () => {
  it('goes where it is put and the others close up', () => {
    expect(movedOrder([1, 2, 3, 4], 0, 2)).toEqual([2, 3, 1, 4])
    expect(movedOrder([1, 2, 3, 4], 3, 0)).toEqual([4, 1, 2, 3])
  })
  it('changes places when its leading edge has passed the middle of the other one', () => {
    const middles = [50, 150, 250]
    expect(dropPlace(middles, 100, 0, 49)).toBe(0)
    expect(dropPlace(middles, 100, 0, 51)).toBe(1)
    expect(dropPlace(middles, 100, 0, 1000)).toBe(2)
    expect(dropPlace(middles, 100, 2, -51)).toBe(1)
    expect(dropPlace(middles, 100, 2, -1000)).toBe(0)
  })
})
