import { describe, expect, it } from 'vitest'
import { blankType, keyOf, registersFor, tidied } from './typeBody'

describe('a module type while it is typed in', () => {
  it('is named in files by its title', () => {
    expect(keyOf('AI-4 Spécial / x')).toBe('ai-4-special-x')
  })
  it('occupies a word a channel, two for 32 bits, a bit each for discrete ones', () => {
    const body = { ...blankType(), channels: 6 }
    expect(registersFor(body)).toEqual([{ holds: 'channel words', count: 6 }])
    expect(registersFor({ ...body, word: { bits: 32 } })[0]!.count).toBe(12)
    const discrete = { ...body, channels: 20, modes: [{ ...body.modes[0]!, family: 'contact' }] }
    expect(registersFor(discrete)).toEqual([{ holds: 'channel bits', count: 2 }])
  })
  it('keeps its status word, in the size the channels need', () => {
    const body = { ...blankType(), channels: 20, registers: [{ holds: 'status bits', count: 1 }] }
    expect(registersFor(body)[1]).toEqual({ holds: 'status bits', count: 2 })
  })
  it('numbers the choices that have no number yet, and leaves those that have', () => {
    const body = {
      ...blankType(),
      filters: [{ name: 'none' }, { name: '50 Hz' }],
      settings: [{ of: 'filter', codes: { none: 7 } }],
    }
    expect(tidied(body).settings).toEqual([{ of: 'filter', codes: { none: 7, '50 Hz': 8 } }])
  })
  it('sends no empty figure', () => {
    const body = blankType()
    body.modes[0]!.open_counts = ''
    expect(tidied(body).modes[0]).not.toHaveProperty('open_counts')
  })

  test('what the form does not show for a kind and a unit is not sent', () => {
    const body = blankType()
    body.modes[0] = { ...body.modes[0]!, signal_unit: 'V', signal: { low: 0, high: 10 }, input_ohm: 100000 }
    expect(body.modes[0]).toHaveProperty('burden_ohm', 100)
    expect(tidied(body).modes[0]).not.toHaveProperty('burden_ohm')
    expect(tidied(body).modes[0]).toHaveProperty('input_ohm', 100000)
    body.modes[0]!.signal_unit = 'mA'
    expect(tidied(body).modes[0]).toHaveProperty('burden_ohm', 100)
    expect(tidied(body).modes[0]).not.toHaveProperty('input_ohm')
    body.modes[0] = { ...body.modes[0]!, family: 'contact', curve: 'K', on_from_v: 11 }
    expect(Object.keys(tidied(body).modes[0]!)).not.toEqual(expect.arrayContaining(['curve']))
    expect(tidied(body).modes[0]).toHaveProperty('on_from_v', 11)
  })
})
