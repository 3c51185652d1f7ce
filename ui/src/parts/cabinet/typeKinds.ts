/** What a module of some kind usually has: the form begins with it, and what was not said waits to be confirmed. */
import { blankType, type ModeBody, type TypeBody } from './typeBody'

export interface Kind {
  name: string
  title: string
  body: Partial<TypeBody>
  /** What is taken for granted until somebody says that it is so. */
  guesses: string[]
}

const pair = [
  { mark: '{n}', role: 'plus' },
  { mark: '{n}', role: 'minus' },
]
const linear = (name: string, unit: string, low: number, high: number, most: number, more: object = {}): ModeBody => ({ name, family: 'linear', signal_unit: unit, signal: { low, high }, counts: { low: 0, high: most }, ...more }) // prettier-ignore
const degrees = (family: string, curve: string, low: number, high: number): ModeBody => ({ name: `${curve}, 0.1 °C`, family, curve, signal_unit: '°C', signal: { low: 0, high: 100 }, counts: { low: 0, high: 1000 }, least: low * 10, most: high * 10 }) // prettier-ignore
const contact = (name = '24 V DC'): ModeBody => ({ name, family: 'contact', signal_unit: 'V', signal: { low: 0, high: 24 }, counts: { low: 0, high: 1 }, off_below_v: 5, on_from_v: 11, input_type: 3 }) // prettier-ignore

const CURRENT = [
  linear('4–20 mA', 'mA', 4, 20, 30000, { least: -1500, most: 32767, burden_ohm: 250 }),
  linear('0–20 mA', 'mA', 0, 20, 30000, { least: 0, most: 32767, burden_ohm: 250 }),
]
const VOLTAGE = [
  linear('0–10 V', 'V', 0, 10, 30000, { least: 0, most: 32767, input_ohm: 100000 }),
  linear('±10 V', 'V', -10, 10, 30000, { counts: { low: -30000, high: 30000 }, least: -32768, most: 32767, input_ohm: 100000 }), // prettier-ignore
]
/** Ends of the standards' tables: IEC 60584-1, IEC 60751. */
const COUPLES = [
  degrees('thermocouple', 'K', -270, 1372),
  degrees('thermocouple', 'J', -210, 1200),
  degrees('thermocouple', 'T', -270, 400),
  degrees('thermocouple', 'N', -270, 1300),
  degrees('thermocouple', 'S', -50, 1768),
]
const ELEMENTS = [degrees('resistance', 'pt100', -200, 850), degrees('resistance', 'pt1000', -200, 850)].map(
  (m) => ({ ...m, wires: 3 }),
)
const ENDS = 'the counts of the spans and where they stop'
const LEVELS = 'levels of IEC 61131-2, type 3: off below 5 V, on from 11 V'

export const KINDS: Kind[] = [
  {
    name: 'current and voltage in',
    title: 'analog inputs: current and voltage',
    body: { channels: 8, terminals: pair, modes: [...CURRENT, ...VOLTAGE], filters: [{ name: '50 Hz', rejects_hz: 50, stages: 3 }, { name: '60 Hz', rejects_hz: 60, stages: 3 }] }, // prettier-ignore
    guesses: [ENDS, 'burden 250 Ω, input 100 kΩ'],
  },
  {
    name: 'thermocouples in',
    title: 'thermocouples',
    body: { channels: 8, terminals: pair, modes: COUPLES, registers: [{ holds: 'channel words', count: 8 }, { holds: 'cold junction', count: 1 }], open_choices: ['up-scale', 'down-scale'] }, // prettier-ignore
    guesses: ['a count is 0.1 °C', 'the cold junction stands behind the channels, in 0.1 °C'],
  },
  {
    name: 'resistance thermometers in',
    title: 'resistance thermometers',
    body: { channels: 4, terminals: [...pair, { mark: '{n}', role: 'sense' }], modes: ELEMENTS, open_choices: ['up-scale', 'down-scale'] }, // prettier-ignore
    guesses: ['a count is 0.1 °C', 'three wires'],
  },
  {
    name: 'universal in',
    title: 'universal inputs: mA, V, thermocouple, resistance',
    body: { channels: 4, terminals: [...pair, { mark: '{n}', role: 'sense' }, { mark: '{n}', role: 'sense 2' }], modes: [...CURRENT, ...VOLTAGE.slice(0, 1), ...COUPLES, ...ELEMENTS], settings: [{ of: 'mode', codes: {} }] }, // prettier-ignore
    guesses: [ENDS, 'a count is 0.1 °C', 'each channel is set to its way by a register'],
  },
  {
    name: 'discrete in',
    title: 'discrete inputs',
    body: { channels: 16, common: '0 V', terminals: [{ mark: '{n}', role: 'signal in' }], modes: [contact()], registers: [{ holds: 'channel bits', count: 1 }] }, // prettier-ignore
    guesses: [LEVELS, 'the common is at 0 V'],
  },
  {
    name: 'discrete out',
    title: 'discrete outputs',
    body: { channels: 16, direction: 'out', common: '0 V', terminals: [{ mark: '{n}', role: 'signal out' }], modes: [{ ...contact(), rated_ma: 500 }], registers: [{ holds: 'channel bits', count: 1 }] }, // prettier-ignore
    guesses: ['0.5 A a channel', 'the loads are at 0 V'],
  },
  {
    name: 'current and voltage out',
    title: 'analog outputs: current and voltage',
    body: { channels: 4, direction: 'out', terminals: [{ mark: '{n}', role: 'signal out' }, { mark: '{n}', role: '0 V' }], modes: [linear('4–20 mA', 'mA', 4, 20, 30000), linear('0–10 V', 'V', 0, 10, 30000)] }, // prettier-ignore
    guesses: [ENDS],
  },
  {
    name: 'inputs and outputs',
    title: 'inputs and outputs, analog and discrete',
    body: {
      channels: 8,
      terminals: pair,
      modes: [linear('4–20 mA in', 'mA', 4, 20, 30000, { burden_ohm: 250 }), linear('4–20 mA out', 'mA', 4, 20, 30000), contact()], // prettier-ignore
      registers: [
        { holds: 'channel words', count: 4, table: 'input registers', at: 0, of: { first: 0, count: 4 } },
        { holds: 'channel words', count: 2, table: 'holding registers', at: 0, of: { first: 4, count: 2 } },
        { holds: 'channel bits', count: 2, table: 'discrete inputs', at: 0, of: { first: 6, count: 2 } },
      ],
      groups: [
        { first: 0, count: 4, name: 'inputs', direction: 'in', modes: ['4–20 mA in'], terminals: [] },
        { first: 4, count: 2, name: 'outputs', direction: 'out', modes: ['4–20 mA out'], terminals: [{ mark: 'Q{n}', role: 'signal out' }, { mark: 'Q{n}', role: '0 V' }] }, // prettier-ignore
        { first: 6, count: 2, name: 'discrete', direction: 'in', modes: ['24 V DC'], terminals: [{ mark: 'D{n}', role: 'signal in' }] }, // prettier-ignore
      ],
    },
    guesses: [ENDS, LEVELS, 'which channels are which, and their tables'],
  },
  {
    name: 'counters in',
    title: 'counters and frequencies',
    body: { channels: 2, terminals: [{ mark: '{n}', role: 'signal in' }, { mark: '{n}', role: '0 V' }], word: { bits: 32, coding: 'unsigned' }, signed: false, modes: [linear('frequency', 'Hz', 0, 10000, 1000000), linear('pulses', 'pulses', 0, 1, 1, { most: 4294967295, least: 0 })], registers: [{ holds: 'channel words', count: 4 }] }, // prettier-ignore
    guesses: ['32 bits without sign, the high register first', 'a count is 0.01 Hz'],
  },
  {
    name: 'bridges in',
    title: 'strain gauge bridges',
    body: { channels: 2, terminals: [{ mark: '{n}', role: 'plus' }, { mark: '{n}', role: 'minus' }, { mark: '{n}', role: 'sense' }, { mark: '{n}', role: 'sense 2' }], modes: [linear('±2 mV/V', 'mV/V', -2, 2, 0, { counts: { low: -2000000, high: 2000000 } })], word: { bits: 32 }, registers: [{ holds: 'channel words', count: 4 }] }, // prettier-ignore
    guesses: [ENDS, '32 bits with sign, the high register first'],
  },
]

/** A type as a module of this kind usually is; nothing of it is told before it is confirmed. */
export function proposed(kind: Kind): TypeBody {
  const blank = blankType()
  const copy = JSON.parse(JSON.stringify(kind.body)) as Partial<TypeBody>
  const channels = copy.channels ?? blank.channels
  const registers = copy.registers ?? [{ holds: 'channel words', count: channels }]
  return { ...blank, ...copy, channels, registers, unconfirmed: [...kind.guesses] }
}
