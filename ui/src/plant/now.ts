/**
 * A point as it stands now, ready to be shown: figure, unit, how far it can be trusted, and how much trouble it is.
 *
 *     const now = nowOf(plant, point)
 *
 * Whoever shows it judges its age. Words for reasons come from the server; nothing is worked out here.
 */
import { toRaw } from 'vue'
import type { Schemas } from '../api/client'
import { FLAGS, type Reading } from './live'
import type { usePlant } from './store'
import { age, decimalsFor, figure } from './words'

type Plant = ReturnType<typeof usePlant>
export type NowKind = 'good' | 'doubtful' | 'bad' | 'none' | 'stale' | 'injected'

export interface Now {
  reading: Reading | undefined
  /** The figure or the word, without its unit. */
  text: string
  unit: string
  kind: NowKind
  mark: string
  title: string
  /** What is wrong, in few words; empty when well. */
  says: string
  stale: boolean
  seconds: number
  /** How much trouble it is: the more, the earlier it stands. */
  trouble: number
}

const MARKS: Record<NowKind, string> = {
  good: '',
  doubtful: '▲',
  bad: '■',
  none: '',
  stale: '',
  injected: '◇',
}
/** The states of an alarm by their numbers, and how pressing each is. */
const PRESSING = [0, 9, 6, 7, 8, 5, 3, 2, 1]
const WEIGHT = [0, 1, 2, 3, 0]

type Racks = Schemas['PlantOut']['racks']
const byId = new WeakMap<Racks, Map<number, Racks[number]>>()
/** A rack of the plant by its number: asked for at each value of a list, of plants with hundreds. */
export function rackById(plant: Plant, id: number): Racks[number] | undefined {
  const racks = toRaw(plant.plant?.racks)
  if (!racks) return undefined
  let known = byId.get(racks)
  if (!known) byId.set(racks, (known = new Map(racks.map((rack) => [rack.id, rack]))))
  return known.get(id)
}

export function periodOf(plant: Plant, rack: number): number {
  return rackById(plant, rack)?.period_ms ?? 1000
}

export function staleAfter(plant: Plant, rack: number): number {
  return ((plant.plant?.stale_after_periods ?? 2) * periodOf(plant, rack)) / 1000
}

/** A dead agent's racks have another after so many seconds. */
const MOVED_S = 10

export interface Lost {
  id: number
  name: string
  /** Why it gives no readings, and since when. */
  why: string
  since: string
}

/** Why a rack gives no readings now; nothing while it gives them, and while the server is lost itself. */
export function lostRack(plant: Plant, id: number): Lost | undefined {
  const told = plant.live.racks.get(id)
  if (!told || !plant.linkUp) return undefined
  const seconds = plant.live.age(told)
  const answers = told.state === 'answers'
  if (seconds <= (answers ? Math.max(MOVED_S, staleAfter(plant, id)) : staleAfter(plant, id)))
    return undefined
  return {
    id,
    name: rackById(plant, id)?.name ?? '',
    why: answers ? 'read by nobody: does a scan agent run?' : told.says,
    since: told.readAt > 0 ? `last read ${age(seconds)} ago` : 'not read yet',
  }
}

/** The racks that give no readings now. */
export function lostRacks(plant: Plant): Lost[] {
  return (plant.plant?.racks ?? []).flatMap(({ id }) => lostRack(plant, id) ?? [])
}

/** Lost racks by why they are: those of one switch or one agent are told as one thing. */
export function byWhy(lost: readonly Lost[], most = 3): { why: string; names: string; since: string }[] {
  const groups = new Map<string, Lost[]>()
  for (const rack of lost) groups.set(rack.why, [...(groups.get(rack.why) ?? []), rack])
  return [...groups.values()].map((racks) => ({
    why: racks[0]!.why,
    since: racks[0]!.since,
    names:
      racks
        .slice(0, most)
        .map((rack) => rack.name)
        .join(', ') + (racks.length > most ? ` and ${racks.length - most} more` : ''),
  }))
}

export function reasonsOf(plant: Plant, reasons: number): string[] {
  return (plant.words?.reasons ?? []).filter((r) => reasons & r.bit && r.grade !== 'off').map((r) => r.says)
}

/** The value's unit and decimals, as the list has them. */
export function formOf(plant: Plant, row: number): { unit: string; decimals: number; contact: boolean } {
  const cell = (field: string) => plant.list.text(field, row)
  const family = plant.plant?.families[cell('signal')]
  const unit = cell('value_unit') || (family === 'thermocouple' || family === 'resistance' ? '°C' : '')
  const given = cell('value_decimals')
  const decimals = given ? Number(given) : decimalsFor(cell('value_low'), cell('value_high'))
  return { unit, decimals, contact: family === 'contact' }
}

function figureOf(plant: Plant, row: number, reading: Reading): string {
  const { decimals, contact } = formOf(plant, row)
  if (Number.isNaN(reading.value)) return 'no value'
  if (!contact) return figure(reading.value, decimals)
  return plant.list.text(`text_${reading.value}`, row) || String(reading.value)
}

export function alarmRank(reading: Reading | undefined): number {
  return reading ? (PRESSING[reading.alarm] ?? 0) * 4 + (WEIGHT[reading.priority] ?? 0) : 0
}

export function nowOf(plant: Plant, point: number): Now {
  const reading = plant.live.at(point)
  const row = plant.list.row(point) ?? -1
  const nothing: Now = {
    reading,
    text: '–',
    unit: '',
    kind: 'none',
    mark: '',
    title: 'no reading',
    says: plant.list.text('channel', row) ? 'no reading yet' : 'no channel',
    stale: false,
    seconds: Infinity,
    trouble: 1,
  }
  if (!reading) return nothing
  const told = reasonsOf(plant, reading.reasons)
  if (Number.isNaN(reading.counts) && reading.quality !== 'bad')
    return { ...nothing, says: told[0] ?? nothing.says }
  const { unit, contact } = formOf(plant, row)
  const seconds = plant.live.age(reading)
  const stale = seconds > staleAfter(plant, reading.rack)
  const kind: NowKind = stale
    ? 'stale'
    : reading.injected || reading.flags & (FLAGS.forced | FLAGS.substituted)
      ? 'injected'
      : reading.quality
  const before = reading.seq < plant.list.seq ? ', worked out before the last change' : ''
  const alarm = alarmRank(reading)
  const bad = { good: 0, doubtful: 40, bad: 60, none: 10 }[reading.quality]
  return {
    reading,
    text: figureOf(plant, row, reading),
    unit: contact ? '' : unit,
    kind,
    // What is put on hides no fault: both marks stand.
    mark:
      kind === 'injected' && reading.quality !== 'good'
        ? `${MARKS.injected}${MARKS[reading.quality]}`
        : MARKS[kind],
    title: stale
      ? `read ${age(seconds)} ago`
      : `${Number.isNaN(reading.counts) ? 'no' : figure(reading.counts, reading.counts % 1 ? 3 : 0)} counts${before}${reading.injected ? ', injected' : ''}`,
    says: stale ? `stale, ${age(seconds)}` : (told[0] ?? ''),
    stale,
    seconds,
    trouble: alarm * 100 + (stale ? 70 : bad),
  }
}
