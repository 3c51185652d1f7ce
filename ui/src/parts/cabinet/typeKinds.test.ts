import { expect, test } from 'vitest'
import { tidied } from './typeBody'
import { KINDS, proposed } from './typeKinds'

test('each kind is a whole type: every channel stands somewhere, every way of a group is one of its ways', () => {
  for (const kind of KINDS) {
    const body = tidied({ ...proposed(kind), title: kind.title })
    const standing = body.registers
      .filter((run) => run.holds.startsWith('channel'))
      .reduce((sum, run) => sum + (run.of?.count ?? body.channels), 0)
    expect(standing, kind.name).toBe(body.channels)
    const names = body.modes.map((m) => m.name)
    expect(new Set(names).size, kind.name).toBe(names.length)
    for (const group of body.groups ?? []) for (const mode of group.modes) expect(names).toContain(mode)
  }
})

test('what nobody has said waits to be confirmed', () => {
  for (const kind of KINDS) expect(proposed(kind).unconfirmed, kind.name).toEqual(kind.guesses)
})

test('two modules begun alike are two: what is typed into one stays there', () => {
  const kind = KINDS[0]!
  const one = proposed(kind)
  one.modes[0]!.name = 'changed'
  one.unconfirmed!.pop()
  expect(proposed(kind).modes[0]!.name).toBe('4–20 mA')
  expect(proposed(kind).unconfirmed).toEqual(kind.guesses)
})

test('ends of thermocouples and elements are the standards’', () => {
  const of = (kind: string, curve: string) => KINDS.find((k) => k.name === kind)!.body.modes!.find((m) => m.curve === curve)! // prettier-ignore
  // IEC 60584-1: type K runs from −270 to 1372 °C; IEC 60751: a platinum element from −200 to 850 °C.
  expect([of('thermocouples in', 'K').least, of('thermocouples in', 'K').most]).toEqual([-2700, 13720])
  expect([of('resistance thermometers in', 'pt100').least, of('resistance thermometers in', 'pt100').most]).toEqual([-2000, 8500]) // prettier-ignore
})
