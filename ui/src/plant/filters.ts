/**
 * What the heads of columns filter: only these texts, all but these, figures within a range. The empty text is the empty
 * cell. It stands beside the find language: a row is shown where both let it through.
 */
import type { Schemas } from '../api/client'
import type { ListColumns } from './columns'
import { figureOf, natural } from './order'

export type Filter = Required<Schemas['FilterIn']>

/** A text of a column, and in how many rows it stands. */
export interface Value {
  text: string
  count: number
}

/** A view keeps no more texts of a column than this. */
export const MOST_TEXTS = 500

export const none = (field: string): Filter => ({ field, only: null, but: [], low: '', high: '' })
export const asks = (filter: Filter) =>
  filter.only !== null || filter.but.length > 0 || filter.low.trim() !== '' || filter.high.trim() !== ''

/** Whether a row is let through by all filters. A bound that is no figure bounds nothing. */
export function letsThrough(list: ListColumns, filters: readonly Filter[]): (row: number) => boolean {
  const tests = filters.filter(asks).map((filter) => {
    const only = filter.only && new Set(filter.only)
    const but = new Set(filter.but)
    const [low, high] = [figureOf(filter.low), figureOf(filter.high)]
    const bounded = !Number.isNaN(low) || !Number.isNaN(high)
    return (row: number) => {
      const text = list.text(filter.field, row)
      if (only ? !only.has(text) : but.has(text)) return false
      if (!bounded) return true
      const figure = figureOf(text)
      return !Number.isNaN(figure) && !(figure < low) && !(figure > high)
    }
  })
  return (row) => tests.every((test) => test(row))
}

/** The texts of a column in some rows, in the order people expect, the empty one last. */
export function valuesOf(list: ListColumns, field: string, rows: Iterable<number>): Value[] {
  const counts = new Map<string, number>()
  for (const row of rows) {
    const text = list.text(field, row)
    counts.set(text, (counts.get(text) ?? 0) + 1)
  }
  const keys = new Map([...counts.keys()].map((text) => [text, [figureOf(text), natural(text)] as const]))
  const order = [...counts.keys()].sort((a, b) => {
    if (a === '' || b === '') return a === b ? 0 : a === '' ? 1 : -1
    const [[x, s], [y, t]] = [keys.get(a)!, keys.get(b)!]
    if (!Number.isNaN(x) && !Number.isNaN(y)) return x - y
    return s < t ? -1 : s > t ? 1 : 0
  })
  return order.map((text) => ({ text, count: counts.get(text)! }))
}

export const shows = (filter: Filter, text: string) =>
  filter.only ? filter.only.includes(text) : !filter.but.includes(text)

/** With one text shown or left out more than before. */
export function turned(filter: Filter, text: string): Filter {
  const without = (texts: string[]) => texts.filter((one) => one !== text)
  if (filter.only) {
    const only = shows(filter, text) ? without(filter.only) : [...filter.only, text]
    return { ...filter, only: only.slice(0, MOST_TEXTS) }
  }
  const but = shows(filter, text) ? [...filter.but, text] : without(filter.but)
  return { ...filter, but: but.slice(0, MOST_TEXTS) }
}

/** A filter in a few words, behind the name of its column. */
export function saysOf({ only, but, low, high }: Filter): string {
  const texts = (all: string[]) =>
    all.length > 2 ? `${all.length} texts` : all.map((text) => text || 'empty').join(', ')
  const parts = [
    only ? texts(only) || 'nothing' : but.length ? `not ${texts(but)}` : '',
    low.trim() && high.trim() ? `${low}…${high}` : low.trim() ? `≥ ${low}` : high.trim() ? `≤ ${high}` : '',
  ]
  return parts.filter(Boolean).join(' · ')
}

const LONGEST_ADDRESS = 1500

/** Filters as a page's address carries them; undefined where there are none, or more than an address holds. */
export function written(filters: readonly Filter[]): string | undefined {
  const short = filters.filter(asks).map(({ field, ...rest }) => ({
    field,
    ...Object.fromEntries(Object.entries(rest).filter(([, value]) => value !== null && value.length > 0)),
    ...(rest.only && { only: rest.only }),
  }))
  const text = JSON.stringify(short)
  return short.length && text.length <= LONGEST_ADDRESS ? text : undefined
}

/** Filters from an address; what is none is left out, for anybody may have written it. */
export function read(text: string, known: (field: string) => boolean): Filter[] {
  let given: unknown
  try {
    given = JSON.parse(text)
  } catch {
    return []
  }
  if (!Array.isArray(given)) return []
  const texts = (value: unknown) =>
    Array.isArray(value) ? value.filter((one) => typeof one === 'string').slice(0, MOST_TEXTS) : null
  return (given as Partial<Record<keyof Filter, unknown>>[]).flatMap((one) => {
    if (typeof one?.field !== 'string' || !known(one.field)) return []
    const filter: Filter = {
      field: one.field,
      only: texts(one.only),
      but: texts(one.but) ?? [],
      low: typeof one.low === 'string' ? one.low : '',
      high: typeof one.high === 'string' ? one.high : '',
    }
    return asks(filter) ? [filter] : []
  })
}
