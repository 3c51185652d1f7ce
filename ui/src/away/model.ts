/** What was taken along, what is typed there, and how it is judged on the spot; the plant judges again when it comes back. */

export interface Step {
  share: number
  way: string
  process: string
  signal: string
  value: string
  signal_number: number | null
  due: number | null
  per_signal: number | null
}

/** The pages of one point as a desk shows them. What an earlier version took along has none. */
export interface Pages {
  facts: {
    title: string
    verdict: string
    tone: string
    rows: { label: string; figure: string; basis: string; tone: string }[]
  }[]
  wiring: {
    svg: string
    words: string
    faults: string[]
    way: string[]
    notes: string[]
    safe: string[]
    readings: { meter: string; where: string; healthy: string; otherwise: [string, string][] }[]
    calibrator: string
    steps: string[]
  } | null
  settings: { station: string; label: string; unit: string; text: string; follows: boolean }[]
  channel_settings: { of: string; text: string; where: string }[]
}

export interface AwayPoint {
  page?: Pages
  id: number
  tag: string
  service: string
  area: string
  system: string
  channel: string
  terminals: string
  cable: string
  cores: string
  strip: string
  trips: string
  inhibit: string
  tell: string
  contact: boolean
  words: [string, string]
  unit: string
  decimals: number
  signal_unit: string
  span: number | null
  tolerance: number
  trips_told: string[]
  open: string[]
  why_not: string
  steps: Step[]
}

export interface Package {
  format: string
  version: number
  plant: string
  package: string
  code: string
  who: string
  taken_at: string
  seq: number
  instruments: { name: string; serial: string; due: string }[]
  points: AwayPoint[]
}

export interface Reading {
  signal?: number | null
  value?: number | null
  at?: string
}

/** What was done at one point. done: its code once it is finished; typing in it again makes a new one. */
export interface Work {
  readings: Reading[]
  phase: '' | 'as found' | 'as left'
  note: string
  photo: string
  inhibited: boolean
  doubts_seen: boolean
  done: string
  read_at: string
}

export interface Punch {
  key: string
  point: number
  read_at: string
  tester: string
  what: string
  severity: 'A' | 'B' | 'C'
  photo: string
}

export interface Mark {
  key: string
  point: number
  read_at: string
  tester: string
  rung: 'wired' | 'continuity' | 'powered'
}

export interface Person {
  tester: string
  instrument: string
  serial: string
  due: string
}

/** All that is kept in the browser of whoever took it along. */
export interface Kept {
  person: Person
  work: Record<number, Work>
  punches: Punch[]
  marks: Mark[]
}

export const empty = (point: AwayPoint): Work => ({
  readings: point.steps.map(() => ({})),
  phase: '',
  note: '',
  photo: '',
  inhibited: false,
  doubts_seen: false,
  done: '',
  read_at: '',
})

/** A figure as people type it: a comma or a point, spaces between thousands; null for nothing, undefined for no figure. */
export function typedFigure(text: string): number | null | undefined {
  const plain = text
    .replace(/[\s\u2009\u202f']/g, '')
    .replace('\u2212', '-')
    .replace(',', '.')
  if (plain === '') return null
  return /^-?\d*\.?\d+$/.test(plain) ? Number(plain) : undefined
}

export interface Judged {
  error: number
  ofSpan: number
  passes: boolean
  asks: string
}

/** One step judged, null where nothing was read. */
export function judged(point: AwayPoint, step: Step, reading: Reading | undefined): Judged | null {
  if (reading?.value == null || step.due === null) return null
  let due = step.due
  if (reading.signal != null && step.signal_number !== null && !point.contact)
    due += (reading.signal - step.signal_number) * (step.per_signal ?? 0)
  const span = point.contact ? 1 : point.span
  if (!span) return null
  const error = reading.value - due
  const ofSpan = (100 * error) / span
  const passes = Math.abs(ofSpan) <= point.tolerance + 1e-9
  return { error, ofSpan, passes, asks: passes ? '' : doubt(point, step, reading.value) }
}

/** What a figure that is far off may have been meant as; it is asked about, never corrected. */
function doubt(point: AwayPoint, step: Step, value: number): string {
  const due = step.due
  if (point.contact || due === null || !point.span) return ''
  const near = Math.max(0.5, point.tolerance) / 100
  if (Math.abs(value - due) / point.span <= Math.max(2, 2 * point.tolerance) / 100) return ''
  const fits = (meant: number) => Math.abs(meant - due) / point.span! <= near
  if ([10, 0.1, 100, 0.01, 1000, 0.001].some((by) => fits(value * by)))
    return 'is the decimal point where it belongs?'
  if (fits(-value)) return 'is its sign right?'
  const low = Math.min(...point.steps.map((s) => s.due ?? Infinity))
  if (fits(low + (value / 100) * point.span)) return 'is it in % of span?'
  if (
    step.signal_number !== null &&
    Math.abs(value - step.signal_number) <= 0.005 * Math.abs(step.signal_number)
  )
    return `is it the signal, in ${point.signal_unit}?`
  return ''
}

export type State = 'untouched' | 'begun' | 'passed' | 'failed'

export function stateOf(point: AwayPoint, work: Work | undefined): State {
  if (!work) return 'untouched'
  if (!work.done) return work.readings.some((r) => r.value != null) ? 'begun' : 'untouched'
  return point.steps.every((step, i) => judged(point, step, work.readings[i])?.passes) ? 'passed' : 'failed'
}

/** Why a point cannot be finished yet; '' where it can. */
export function whyNot(point: AwayPoint, work: Work, person: Person): string {
  if (point.why_not) return point.why_not
  if (work.readings.some((r) => r.value == null)) return 'not every step was read'
  if (!person.tester.trim()) return 'who reads it? give your name above'
  if (!point.contact && !person.instrument.trim()) return 'with which instrument? name it above'
  if (!point.contact && !person.due.trim())
    return 'until when is the instrument calibrated? give the day above'
  if (point.trips && !work.inhibited)
    return `it ${point.trips}: say that it is inhibited, or that tripping was agreed on`
  const asks = point.steps.map((step, i) => judged(point, step, work.readings[i])?.asks).find(Boolean)
  if (asks && !work.doubts_seen) return `${asks} mend it, or say that it was read so`
  return ''
}

/** What is brought back: one file, in parts that the server takes at once. */
export function results(taken: Package, kept: Kept) {
  const done = taken.points.filter((point) => kept.work[point.id]?.done)
  return {
    format: 'canaleta away results',
    version: 1,
    package: taken.package,
    code: taken.code,
    plant: taken.plant,
    results: done.map((point) => {
      const work = kept.work[point.id]!
      const instrument = point.contact ? { instrument: '', serial: '', due: '' } : pick(kept.person)
      return {
        key: work.done, point: point.id, tag: point.tag, seq: taken.seq, read_at: work.read_at, tester: kept.person.tester,
        readings: work.readings, phase: work.phase, note: work.note, photo: work.photo,
        inhibited: work.inhibited, doubts_seen: work.doubts_seen, ...instrument,
      } // prettier-ignore
    }),
    punches: kept.punches,
    marks: kept.marks,
  }
}

const pick = ({ instrument, serial, due }: Person) => ({ instrument, serial, due })

/** A code that nobody else gives: what is brought back twice is known by it. */
export const newKey = () =>
  [...crypto.getRandomValues(new Uint8Array(16))].map((x) => x.toString(16).padStart(2, '0')).join('')
