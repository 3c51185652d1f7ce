/**
 * Where the alarms of a point stood, for its trend: from when one came to when it went, whoever had seen it by then.
 *
 *     const spans = useAlarmSpans(() => props.point, () => until.value)
 */
import { shallowRef, watch } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { latest } from '../plant/latest'
import { usePlant } from '../plant/store'
import type { Span } from './plotting'

type Line = Pick<Schemas['JournalLineOut'], 'at' | 'kind' | 'event'>
const COMES = 'comes'
const GOES = 'goes'

/** Spans from lines of the journal in any order; an alarm that has not gone stands until now (s since 1970). */
export function spansOf(lines: readonly Line[], now: number): Span[] {
  const began = new Map<string, number>()
  const out: Span[] = []
  for (const line of [...lines].sort((a, b) => a.at.localeCompare(b.at))) {
    const at = Date.parse(line.at) / 1000
    if (line.event === COMES && !began.has(line.kind)) began.set(line.kind, at)
    const from = began.get(line.kind)
    if (line.event !== GOES || from === undefined) continue
    out.push({ from, to: at, colour: 'bad-wash' })
    began.delete(line.kind)
  }
  for (const from of began.values()) out.push({ from, to: Math.max(from, now), colour: 'bad-wash' })
  return out
}

export function useAlarmSpans(point: () => number, now: () => number) {
  const plant = usePlant()
  const lines = shallowRef<readonly Line[]>([])
  const read = latest(async () => {
    const mine = point()
    const answer = await ask(api.GET('/api/journal', { params: { query: { point: mine } } }))
    if (mine === point()) lines.value = answer.data?.lines ?? []
  })
  // What has come or gone since is in the journal by the time it is told.
  watch([point, () => plant.alarmsOf.get(point())?.map((a) => `${a.kind} ${a.state}`).join()], read, { immediate: true }) // prettier-ignore
  return () => spansOf(lines.value, now())
}
