/** What a plot is made of, and what of it can be said or saved without drawing. */
import type { Colour } from '../theme/colours'
import { figure } from '../plant/words'

export type Values = readonly (number | null)[]

export interface Line {
  label: string
  unit: string
  /** One at each x; null where nothing is known: the line has a gap there. */
  values: Values
  /** Least and most at each x, drawn as a band. */
  low?: Values
  high?: Values
  colour: Colour
  dash?: number[]
  thick?: number
  /** It jumps and does not slope: a contact. */
  steps?: boolean
  /** Lines of one scale share an axis; by their unit if not said. */
  scale?: string
  fixed?: readonly [number, number]
  decimals?: number
  /** The word for a value, '' where there is none. */
  word?: (value: number) => string
}

/** A level across the plot: a limit. */
export interface Mark {
  at: number
  text: string
  scale?: string
  colour?: Colour
}

/** A stretch of x. */
export interface Span {
  from: number
  to: number
  colour: Colour
}

/** A single reading. */
export interface Point {
  x: number
  y: number
  colour: Colour
  hollow?: boolean
}

/** What somebody who does not see the plot is told of it: from where to where each line goes, and how it ends. */
export function summary(lines: readonly Line[]): string {
  return lines
    .map((line) => {
      const known = line.values.filter((v): v is number => v !== null)
      const [first] = known
      if (first === undefined) return `${line.label} has no good value`
      let low = first
      let high = first
      for (const v of line.low ? [...line.low, ...line.high!] : known) {
        if (v === null) continue
        if (v < low) low = v
        if (v > high) high = v
      }
      const says = (v: number) => line.word?.(v) || `${figure(v, line.decimals ?? 1)} ${line.unit}`.trim()
      return `${line.label} from ${says(low)} to ${says(high)}, last ${says(known.at(-1)!)}`
    })
    .join('; ')
}

const quoted = (text: string) => (/[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text)

/** The figures of a plot as CSV (RFC 4180), times as ISO 8601 in UTC; nothing is rounded. */
export function csvOf(x: readonly number[], unit: string, lines: readonly Line[]): string {
  const heads = [unit ? `x ${unit}` : 'time']
  for (const line of lines) {
    const name = `${line.label} ${line.unit}`.trim()
    heads.push(...(line.low ? [name, `${name} least`, `${name} most`] : [name]))
  }
  const rows = x.map((at, k) => {
    const cells = [unit ? String(at) : new Date(at * 1000).toISOString()]
    for (const line of lines)
      for (const values of line.low ? [line.values, line.low, line.high!] : [line.values])
        cells.push(values[k] == null ? '' : String(values[k]))
    return cells
  })
  return [heads, ...rows].map((cells) => cells.map(quoted).join(',')).join('\r\n') + '\r\n'
}

/** Lines with times of their own brought onto one axis: null where a line has nothing at a time. */
export function onOneAxis(all: readonly { times: readonly number[]; columns: readonly Values[] }[]): {
  x: number[]
  columns: (number | null)[][][]
} {
  const x = [...new Set(all.flatMap((one) => one.times))].sort((a, b) => a - b)
  const place = new Map(x.map((t, k) => [t, k]))
  return {
    x,
    columns: all.map(({ times, columns }) =>
      columns.map((values) => {
        const out = new Array<number | null>(x.length).fill(null)
        times.forEach((t, k) => (out[place.get(t)!] = values[k] ?? null))
        return out
      }),
    ),
  }
}

const two = (n: number) => String(n).padStart(2, '0')

/** Times (s since 1970) as they stand at an axis: as fine as they lie, with the day where one begins. */
export function timeMarks(times: readonly number[]): string[] {
  const step = (times[1] ?? Infinity) - (times[0] ?? 0)
  return times.map((t) => {
    const at = new Date(t * 1000)
    const day = `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}`
    // Where days no longer tell one mark from another, the year does.
    if (step >= 28 * 86_400) return times.length > 1 ? day.slice(0, 7) : day
    if (step >= 86_400 || (at.getHours() === 0 && at.getMinutes() === 0 && at.getSeconds() === 0))
      return day.slice(5)
    const minutes = `${two(at.getHours())}:${two(at.getMinutes())}`
    return step < 60 ? `${minutes}:${two(at.getSeconds())}` : minutes
  })
}
