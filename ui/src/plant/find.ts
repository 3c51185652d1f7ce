/**
 * The find language: words that must be somewhere in the row, and tests of columns, as one says them.
 *
 *     kiln 2 signal:tc has:finding value>900      no:channel or is:bad      -spare "own 24 V"
 *
 * `word:text` looks into a column, by its name, its label or station.label; = != < > <= >= compare; has: and no: ask
 * whether anything is there; is: asks for the quality of the live value; rule: for a finding. `value` is the live one.
 * A minus turns a term round, `or` begins another set of terms.
 */
import type { Schemas } from '../api/client'
import type { ListColumns } from './columns'

type Field = Pick<Schemas['FieldOut'], 'name' | 'station' | 'label' | 'kind'>

/** What the search asks about a row beyond the list's own columns. */
export interface Around {
  live: (point: number) => { value: number; quality: string; stale: boolean; injected: boolean } | undefined
  findings: (point: number) => { rule: string; severity: string }[]
  locked: (point: number) => boolean
  waiting: (point: number) => boolean
}

export interface Search {
  test: (row: number) => boolean
  /** Whether it asks nothing. */
  all: boolean
  /** What was not understood as it may have been meant. */
  notes: string[]
}

const TERM = /(-)?(?:([\p{L}\d_.]+)(:|!=|≠|<=|≥|>=|≤|=|<|>))?(?:"([^"]*)"?|(\S+))|(-)?([\p{L}\d_.]+):/gu
const bare = (text: string) => text.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '')
const number = (text: string) => Number(text.replace('\u2212', '-').replace(',', '.').replace(/\s/g, '') || NaN) // prettier-ignore
const DIGITS = /^\d{1,4}$/
const isWord = (term: RegExpMatchArray) => !term[1] && !term[2] && /^\p{L}+$/u.test(term[5] ?? '')
const LIVE_STATES = ['good', 'doubtful', 'bad', 'stale', 'injected', 'live']
const COMPARE: Record<string, (a: number, b: number) => boolean> = {
  '<': (a, b) => a < b,
  '>': (a, b) => a > b,
  '<=': (a, b) => a <= b,
  '≤': (a, b) => a <= b,
  '>=': (a, b) => a >= b,
  '≥': (a, b) => a >= b,
}

/** The columns that a word means: by name, by station.label, or all that carry the label. */
export function columnsMeant(word: string, fields: readonly Field[]): Field[] {
  const key = bare(word)
  const exact = fields.filter((f) => bare(f.name) === key || bare(`${f.station}${f.label}`) === key)
  return exact.length ? exact : fields.filter((f) => bare(f.label) === key)
}

export function search(query: string, list: ListColumns, fields: readonly Field[], around: Around): Search {
  const notes: string[] = []
  const sets: ((row: number) => boolean)[][] = [[]]
  const terms = [...query.matchAll(TERM)]
  for (const [place, found] of terms.entries()) {
    const [whole, minus, column, sign, quoted, plain] = found
    if (whole.toLowerCase() === 'or') {
      sets.push([])
      continue
    }
    const text = quoted ?? plain ?? ''
    const before = terms[place - 1]
    if (!column && !minus && DIGITS.test(text) && before && isWord(before)) {
      // “kiln 2” is one thing where the list has it so; else the words stand alone.
      const phrase = worded(`${before[5]} ${text}`, true)
      if (phrase && list.some(phrase)) {
        sets.at(-1)!.splice(-1, 1, phrase)
        continue
      }
    }
    const test =
      column && sign ? tested(column, sign, text) : worded(whole.replace(/^-/, '').replaceAll('"', ''))
    if (!test) continue
    sets.at(-1)!.push(minus ? (row) => !test(row) : test)
  }
  const asked = sets.filter((terms) => terms.length)
  return {
    all: !asked.length,
    notes,
    test: (row) => !asked.length || asked.some((terms) => terms.every((term) => term(row))),
  }

  function worded(text: string, alone = false): ((row: number) => boolean) | undefined {
    const word = text.toLowerCase()
    if (alone) {
      const pattern = new RegExp(`${word.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}(?!\\d)`)
      return list.having(pattern)
    }
    return word ? list.having(word) : undefined
  }

  function tested(column: string, sign: string, text: string): ((row: number) => boolean) | undefined {
    const word = column.toLowerCase()
    const id = (row: number) => list.ids[row]!
    if (word === 'has' && sign === ':') return has(text)
    if (word === 'no' && sign === ':') {
      const there = has(text)
      return there && ((row) => !there(row))
    }
    if (word === 'is' && sign === ':') return is(text)
    if (word === 'rule') return (row) => around.findings(id(row)).some((f) => f.rule.toLowerCase() === text.toLowerCase()) // prettier-ignore
    if (word === 'value' || word === 'now') {
      const compare = COMPARE[sign] ?? ((a: number, b: number) => a === b)
      const goal = number(text)
      return (row) => {
        const reading = around.live(id(row))
        return reading !== undefined && compare(reading.value, goal)
      }
    }
    const meant = columnsMeant(column, fields)
    if (!meant.length) {
      // A terminal such as X1:5 is no column: what is typed is looked for as it stands.
      notes.push(`no column is called “${column}”: looked for as it stands`)
      return worded(`${column}${sign}${text}`)
    }
    const cell = compared(sign, text)
    return (row) => meant.some((field) => cell(list.text(field.name, row)))
  }

  function compared(sign: string, text: string): (cell: string) => boolean {
    const compare = COMPARE[sign]
    if (compare) {
      const goal = number(text)
      return (cell) => cell !== '' && compare(number(cell), goal)
    }
    const key = text.toLowerCase()
    const same = (cell: string) =>
      cell.toLowerCase() === key || (cell !== '' && key !== '' && number(cell) === number(key))
    if (sign === '=') return same
    if (sign === '!=' || sign === '≠') return (cell) => !same(cell)
    const [low, high] = text.split(/\.\.|…/)
    if (high !== undefined && !Number.isNaN(number(low!)) && !Number.isNaN(number(high)))
      return (cell) => cell !== '' && number(cell) >= number(low!) && number(cell) <= number(high)
    const part = bare(text)
    return (cell) => (part ? bare(cell).includes(part) : cell !== '')
  }

  function has(text: string): ((row: number) => boolean) | undefined {
    const word = text.toLowerCase()
    const id = (row: number) => list.ids[row]!
    if (['finding', 'findings', 'something'].includes(word))
      return (row) => around.findings(id(row)).length > 0
    if (word === 'lock') return (row) => around.locked(id(row))
    if (word === 'waiting') return (row) => around.waiting(id(row))
    if (word === 'value') return (row) => around.live(id(row)) !== undefined
    const meant = columnsMeant(text, fields)
    if (!meant.length) {
      notes.push(`no column is called “${text}”`)
      return undefined
    }
    return (row) => meant.some((field) => list.text(field.name, row) !== '')
  }

  function is(text: string): ((row: number) => boolean) | undefined {
    const word = text.toLowerCase()
    const id = (row: number) => list.ids[row]!
    if (word === 'locked') return (row) => around.locked(id(row))
    if (word === 'spare') return (row) => bare(list.text('service', row)).startsWith('spare')
    if (!LIVE_STATES.includes(word)) {
      notes.push(`is: goes with ${LIVE_STATES.join(', ')} or locked`)
      return undefined
    }
    return (row) => {
      const reading = around.live(id(row))
      if (!reading) return false
      if (word === 'stale') return reading.stale
      if (word === 'live') return !reading.stale
      return word === 'injected' ? reading.injected : !reading.stale && reading.quality === word
    }
  }
}

/** The rows that a search finds, of some or of all. */
export function find(list: ListColumns, asked: Search, only?: ReadonlySet<number>): number[] {
  const found: number[] = []
  for (let row = 0; row < list.ids.length; row++)
    if (list.ids[row] && (!only || only.has(row)) && (asked.all || asked.test(row))) found.push(row)
  return found
}
