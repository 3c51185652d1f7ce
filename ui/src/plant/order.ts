/** Rows in an order people expect: PT-9 before PT-10, −5 before 3, empty cells last; and in groups. */
import type { ListColumns } from './columns'

export interface Sort {
  field: string
  down: boolean
}

export interface Group {
  text: string
  count: number
  /** The first row, in the list, of the group. */
  first: number
  closed: boolean
}

const NUMBER = /^[-\u2212+]?\d+([.,]\d+)?(e[-+]?\d+)?$/i

/** The figure that a cell's text is, NaN for any other text. */
export const figureOf = (text: string) =>
  NUMBER.test(text.trim()) ? Number(text.trim().replace('\u2212', '-').replace(',', '.')) : Number.NaN

/** A text that compares as people order it: runs of digits by their size. */
export const natural = (text: string) => text.toLowerCase().replace(/\d+/g, (run) => run.padStart(12, '0'))

/** The order of some rows by one column, then by the next; rows that say the same stay as they were. */
export function sorted(list: ListColumns, rows: number[], sorts: readonly Sort[]): number[] {
  let out = rows
  for (const { field, down } of [...sorts].reverse()) {
    const texts = out.map((row) => list.text(field, row))
    const figures = texts.every((text) => text === '' || NUMBER.test(text))
    const keys: (number | string)[] = texts.map((text) =>
      figures ? Number(text.replace('\u2212', '-').replace(',', '.') || NaN) : natural(text),
    )
    const places = out.map((_, k) => k)
    const sign = down ? -1 : 1
    places.sort((a, b) => {
      const emptyA = texts[a] === ''
      const emptyB = texts[b] === ''
      if (emptyA || emptyB) return emptyA === emptyB ? a - b : emptyA ? 1 : -1
      const x = keys[a]!
      const y = keys[b]!
      return x < y ? -sign : x > y ? sign : a - b
    })
    out = places.map((k) => out[k]!)
  }
  return out
}

/**
 * Rows in groups by what one column says: a group's head stands as −1 − its number among the rows, and the rows of a
 * closed one are left out. Groups come in natural order, the empty one last.
 */
export function grouped(
  list: ListColumns,
  rows: number[],
  field: string,
  closed: ReadonlySet<string>,
): { shown: number[]; groups: Group[] } {
  const byText = new Map<string, number[]>()
  for (const row of rows) {
    const text = list.text(field, row)
    const known = byText.get(text)
    if (known) known.push(row)
    else byText.set(text, [row])
  }
  const order = [...byText.keys()].sort((a, b) => {
    if (a === '' || b === '') return a === b ? 0 : a === '' ? 1 : -1
    const x = natural(a)
    const y = natural(b)
    return x < y ? -1 : x > y ? 1 : 0
  })
  const shown: number[] = []
  const groups: Group[] = []
  for (const text of order) {
    const own = byText.get(text)!
    shown.push(-1 - groups.length)
    groups.push({ text, count: own.length, first: own[0]!, closed: closed.has(text) })
    if (!closed.has(text)) shown.push(...own)
  }
  return { shown, groups }
}

export interface Sums {
  cells: number
  filled: number
  figures: number
  sum: number
  least: number
  most: number
  mean: number
}

/** What selected cells come to: how many, how many hold something, and of those that are figures sum, least, most, mean. */
export function sums(texts: Iterable<string>): Sums {
  const out = { cells: 0, filled: 0, figures: 0, sum: 0, least: Infinity, most: -Infinity, mean: NaN }
  for (const text of texts) {
    out.cells++
    if (text === '') continue
    out.filled++
    if (!NUMBER.test(text)) continue
    const value = figureOf(text)
    out.figures++
    out.sum += value
    out.least = Math.min(out.least, value)
    out.most = Math.max(out.most, value)
  }
  // Tenths added up as binary fractions end in noise: ten digits are more than any cell has.
  out.sum = Number(out.sum.toPrecision(12))
  out.mean = out.figures ? Number((out.sum / out.figures).toPrecision(8)) : NaN
  return out
}
