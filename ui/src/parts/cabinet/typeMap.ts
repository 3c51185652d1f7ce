/** The map of a module type while it is typed in: its runs of places and its status words. */
import type { TableName } from './places'

export interface NumberForm {
  kind?: string
  bits?: number
  coding?: string
  order?: string
  used_bits?: number
  low_bit?: number | null
}

export interface RunBody {
  holds: string
  count: number
  says?: string
  table?: TableName | ''
  at?: number | null
  step?: number
  of?: { first: number; count: number } | null
  form?: NumberForm | null
}

export interface BitBody {
  bit: number
  means: string
  one_means?: string
  of?: number | null
  says?: string
  latches?: boolean
  makes?: string
}

export interface ResetBody {
  table?: 'holding registers' | 'coils'
  at: number
  step?: number
  word?: number
  mask?: number
}

export interface WordBody {
  table?: TableName | ''
  at?: number | null
  step?: number
  channels_a_word?: number
  bit_base?: number
  bits: BitBody[]
  reset?: ResetBody | null
}

export const HOLDS: { value: string; title: string }[] = [
  { value: 'channel words', title: 'numbers of channels' },
  { value: 'channel bits', title: 'states of channels' },
  { value: 'status bits', title: 'a fault bit a channel' },
  { value: 'other numbers', title: 'another number a channel' },
  { value: 'cold junction', title: 'cold junction' },
  { value: 'load current', title: 'load current' },
  { value: 'module registers', title: 'of the module' },
]
export const MEANINGS = ['fault', 'open circuit', 'short circuit', 'under range', 'over range', 'module fault', 'supply fault', 'not calibrated', 'note'] // prettier-ignore

/** Number forms by the words that manuals have for them. */
export const FORMS: { title: string; form: NumberForm | null }[] = [
  { title: 'as the module', form: null },
  { title: '16 bit signed', form: {} },
  { title: '16 bit unsigned', form: { coding: 'unsigned' } },
  { title: '16 bit offset binary', form: { coding: 'offset binary' } },
  { title: '12 bit from the top', form: { used_bits: 12 } },
  { title: '14 bit from the top', form: { used_bits: 14 } },
  { title: '12 bit from below', form: { used_bits: 12, low_bit: 0 } },
  { title: '32 bit signed', form: { bits: 32 } },
  { title: '32 bit unsigned', form: { bits: 32, coding: 'unsigned' } },
  { title: '64 bit signed', form: { bits: 64 } },
  { title: '64 bit unsigned', form: { bits: 64, coding: 'unsigned' } },
  { title: 'real, 32 bit', form: { kind: 'float', bits: 32 } },
  { title: 'real, 64 bit', form: { kind: 'float', bits: 64 } },
  { title: 'BCD, 4 digits', form: { kind: 'BCD' } },
  { title: 'BCD, 8 digits', form: { kind: 'BCD', bits: 32 } },
  { title: '0 to 9999 a register, two', form: { kind: 'modulo 10000', bits: 32 } },
]

const FULL = { kind: 'whole', bits: 16, coding: "two's complement", used_bits: 0, low_bit: null }
const same = (a: NumberForm, b: NumberForm) =>
  (Object.keys(FULL) as (keyof typeof FULL)[]).every((key) => (a[key] ?? FULL[key]) === (b[key] ?? FULL[key]))

/** Which of the forms a number has, by its place among them; -1 for one that has no words here. */
export function formAt(form: NumberForm | null | undefined): number {
  if (!form) return 0
  return FORMS.findIndex((known) => known.form && same(known.form, form))
}

/** Registers that a number takes. */
export const sizeOf = (form: NumberForm | null | undefined) => (form?.bits ?? 16) / 16

/** Whether somebody has said where its places are: then nothing is counted out for them. */
export const placed = (run: RunBody) => run.at != null || !!run.table || !!run.step || !!run.of || !!run.form

/** Channels that a run serves, from 0. */
export const served = (run: RunBody, channels: number) => run.of ?? { first: 0, count: channels }

const isBits = (table: string | undefined) => table === 'coils' || table === 'discrete inputs'

/** How many places a run needs from its first to its last. */
export function countOf(run: RunBody, channels: number, word: NumberForm | null | undefined): number {
  const { count } = served(run, channels)
  const perChannel = ['channel words', 'channel bits', 'status bits', 'load current', 'other numbers']
  if (!perChannel.includes(run.holds)) return run.count
  if (run.holds.endsWith('bits') && !isBits(run.table)) return Math.ceil(count / 16)
  const form = run.form ?? (run.holds === 'channel words' ? word : null)
  const each = isBits(run.table) || run.holds === 'load current' ? 1 : sizeOf(form)
  return (count - 1) * (run.step || each) + each
}

export const blankWord = (): WordBody => ({
  table: '',
  at: 0,
  step: 1,
  channels_a_word: 1,
  bit_base: 0,
  bits: [{ bit: 0, means: 'open circuit', one_means: 'fault', says: '', latches: false }],
  reset: null,
})
