import { describe, expect, it, test } from 'vitest'
import { blankMode, blankType, keyOf, registersFor, takenIn, tidied } from './typeBody'

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

test('settings of a pasted table get the numbers that the table of modes told, in either order', () => {
  const found = { parts: { registers: [{ holds: 'channel words', count: 4 }], channels: 4, settings: [{ of: 'mode', table: 'holding registers', at: 100, step: 1 }, { of: 'filter', at: 200 }], after_settings: [{ name: 'apply', table: 'holding registers', at: 300, word: 1 }] }, guesses: [], codes: {} } // prettier-ignore
  const modes = { parts: { modes: [blankMode()] }, guesses: [], codes: { '4–20 mA': 7, off: 0 } }
  const first = takenIn(takenIn(blankType(), 'modes', modes as never), 'registers', found as never)
  const second = takenIn(takenIn(blankType(), 'registers', found as never), 'modes', modes as never)
  for (const body of [first, second]) {
    expect(tidied(body).settings).toEqual([{ of: 'mode', codes: { '4–20 mA': 7, off: 0 }, table: 'holding registers', at: 100, step: 1 }]) // prettier-ignore
    expect(body.after_settings![0]!.at).toBe(300)
  }
})

test('channels of several kinds get ways that suit them and groups', () => {
  const groups = [{ first: 0, count: 4, direction: 'out', bits: true }, { first: 4, count: 2, direction: 'in', bits: false }] // prettier-ignore
  const body = takenIn(blankType(), 'registers', { parts: { registers: [], channels: 6, groups }, guesses: [], codes: {} } as never) // prettier-ignore
  expect(body.groups!.map((g) => [g.first, g.count, g.direction, g.modes])).toEqual([[0, 4, 'out', ['24 V DC out']], [4, 2, 'in', ['4–20 mA']]]) // prettier-ignore
  expect(body.modes.map((m) => [m.name, m.family])).toEqual([['24 V DC out', 'contact'], ['4–20 mA', 'linear']]) // prettier-ignore
})
