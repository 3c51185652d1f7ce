/**
 * The past of a point and how it goes on: what the server has stored, and the readings that come, without a hole between
 * them. A gap where there was no good value.
 *
 *     const trend = useTrend({ point: () => props.point, seconds: () => props.seconds, columns: () => 600 })
 */
import { computed, onMounted, onUnmounted, ref, shallowRef, watch } from 'vue'
import { useTimeoutFn } from '@vueuse/core'
import { ask, api, said, type Schemas } from '../api/client'
import { whenLineIsBack } from '../plant/lineBack'
import { formOf, staleAfter } from '../plant/now'
import { usePlant } from '../plant/store'
import {
  CARD_COLUMNS,
  MOST_RECENT,
  PART_LATER_MS,
  SCAN_LATER_MS,
  withGaps,
  type Sample,
} from '../plant/trending'

export interface TrendOf {
  point: () => number
  seconds: () => number
  /** In how many columns the past is drawn. */
  columns: () => number
  /** The past as somebody else read it; then nothing is asked for. */
  fed?: () => Schemas['TrendOut'] | null | undefined
}

export function useTrend({ point, seconds, columns, fed = () => undefined }: TrendOf) {
  const plant = usePlant()
  const past = shallowRef<Schemas['TrendOut'] | null>(null)
  const recent = shallowRef<{ t: number; value: number }[]>([])
  const trouble = ref('')
  const until = ref(plant.live.time() / 1000)
  const row = computed(() => (void plant.list.version, plant.list.row(point()) ?? -1))
  const form = computed(() => formOf(plant, row.value))
  const rack = computed(() => plant.list.racks[row.value] ?? 0)

  function take(trend: Schemas['TrendOut'] | null, ends: number) {
    past.value = trend
    until.value = ends
    const last = trend?.times.at(-1) ?? 0
    recent.value = recent.value.filter((r) => r.t > last)
  }

  let asked = 0
  async function read() {
    const given = fed()
    if (given !== undefined) return take(given, plant.live.time() / 1000)
    const mine = ++asked
    const query = { points: String(point()), seconds: seconds(), columns: columns() }
    const answer = await ask(api.GET('/api/trends', { params: { query } }))
    // Another point or another range is asked for by now.
    if (mine !== asked) return
    trouble.value = answer.problem ? said(answer.problem) : ''
    if (answer.data) take(answer.data.trends[0] ?? null, answer.data.ends)
  }

  function heard(of: number) {
    if (of !== rack.value) return
    const reading = plant.live.at(point())
    if (!reading) return
    const t = reading.readAt / 1000
    const good = reading.quality === 'good' || reading.quality === 'doubtful'
    if (t <= (recent.value.at(-1)?.t ?? past.value?.times.at(-1) ?? 0)) return
    const stays = recent.value.filter((r) => r.t >= t - seconds())
    recent.value = [...stays, { t, value: good ? reading.value : Number.NaN }]
    until.value = t
    // A long range is drawn from what the server has drawn together.
    if (recent.value.length > MOST_RECENT && recent.value.length % 60 === 0) void read()
  }

  /** What is read a period apart, or drawn a column apart, is joined; what lies further apart is a gap. */
  const longest = computed(() =>
    Math.max(
      1.5 * staleAfter(plant, rack.value),
      (2.5 * seconds()) / (fed() === undefined ? columns() : CARD_COLUMNS),
    ),
  )
  const samples = computed<Sample[]>(() => {
    const begins = until.value - seconds()
    const of = past.value
    const out: Sample[] = (of?.times ?? []).map((t, i) => ({
      t,
      mean: of!.mean[i] ?? null,
      least: of!.least[i] ?? null,
      most: of!.most[i] ?? null,
    }))
    for (const { t, value } of recent.value) {
      const v = Number.isNaN(value) ? null : value
      out.push({ t, mean: v, least: v, most: v })
    }
    return withGaps(
      out.filter((s) => s.t >= begins),
      longest.value,
    )
  })
  const limits = computed(() =>
    ['ll', 'l', 'h', 'hh'].flatMap((level) => {
      const text = plant.list.text(`alarm_${level}`, row.value)
      return text ? [{ text: level.toUpperCase(), at: Number(text) }] : []
    }),
  )

  const again = [SCAN_LATER_MS, PART_LATER_MS].map((ms) =>
    useTimeoutFn(() => void read(), ms, { immediate: false }),
  )

  /** Begin with what was heard already: what the agent has not written yet is no gap to somebody who was there. */
  function begin() {
    past.value = null
    recent.value = plant.live.lately(rack.value, point())
    void read()
    for (const later of again) later.start()
  }

  watch([point, seconds], begin)
  watch(fed, () => void read())
  watch(rack, (now) => now && plant.watch([now]), { immediate: true })
  whenLineIsBack(plant, read)
  let stop: (() => void) | undefined
  onMounted(() => {
    begin()
    stop = plant.live.onBlock(heard)
  })
  onUnmounted(() => stop?.())

  return { row, form, rack, samples, limits, trouble, until }
}
