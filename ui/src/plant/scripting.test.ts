import { describe, expect, it } from 'vitest'
import type { Schemas } from '../api/client'
import { firstScript, tagAt } from './scripting'

const step = (share: number, way: string, signal: string, value: string) =>
  ({
    share,
    way,
    signal,
    value,
    process: '',
    counts: '',
    signal_number: 0,
    counts_number: 0,
    value_number: 0,
  }) as Schemas['StepOut']

const check = (steps: Schemas['StepOut'][], contact = false) => ({ steps, contact }) as Schemas['CheckOut']

describe('a first script', () => {
  it('puts on the ends and the middle, then takes a wire off', () => {
    const ups = ['4.000', '8.000', '12.000', '16.000', '20.000']
    const steps = ups.map((mA, i) => step(i * 25, 'up', `${mA} mA`, `${i * 250} mbar`))
    const text = firstScript('PT-1', check([...steps, step(75, 'down', '16.000 mA', '750 mbar')]))
    expect(text.match(/put .*/g)).toEqual(['put 4.000 mA', 'put 12.000 mA', 'put 20.000 mA'])
    expect(text.match(/see .*/g)).toEqual([
      'see 0 mbar ± 0.5 % within 3 s', 'see 500 mbar ± 0.5 % within 3 s', 'see 1000 mbar ± 0.5 % within 3 s',
      'see bad within 8 s', 'see good within 6 s',
    ]) // prettier-ignore
  })

  it('writes figures as they can be typed', () => {
    const text = firstScript('PDT-1', check([step(0, 'up', '4.000 mA', '\u22121\u202f050.0 Pa')]))
    expect(text).toContain('see -1050.0 Pa ±')
  })

  it('closes and opens a contact', () => {
    const text = firstScript(
      'ZS-1',
      check([step(0, 'up', 'open', 'shut'), step(100, 'up', 'closed', 'open')], true),
    )
    expect(text.match(/(put|see) \S+/g)).toEqual(['put open', 'see shut', 'put closed', 'see open'])
    expect(text).not.toContain('make open')
  })
})

describe('the tag a line speaks of', () => {
  it('is that of the line, or of the last before it', () => {
    const text = '# none\n0 s PT 1 put 4 mA\n\n+5 s  TE-2  see bad'
    expect([0, 1, 2, 3].map((line) => tagAt(text, line))).toEqual(['', 'PT 1', 'PT 1', 'TE-2'])
  })
})
