/**
 * One point unfolded: its stations from the chosen source, refreshed with each reading or edit.
 *
 *     const { path, sheet, source, typeAt, goLive } = usePath(pointId)
 */
import { watchDebounced } from '@vueuse/core'
import { computed, onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue'
import { ask, api, type Problem, type Schemas } from '../api/client'
import { latest } from './latest'
import { usePlant } from './store'

export type StationName = 'PROCESS' | 'DEVICE' | 'LOOP' | 'INPUT' | 'COUNTS' | 'VALUE'
export interface WhatIf {
  station: StationName
  text: string
  fault?: string
  amount?: string
}

export function usePath(point: Ref<number>) {
  const plant = usePlant()
  const raw = shallowRef<Schemas['PathOut'] | null>(null)
  /** With the age of its reading as it is now, not as it was when it was told. */
  const path = computed(() => {
    void plant.live.versionOf(plant.list.racks[plant.list.row(point.value) ?? -1] ?? 0)
    const now = raw.value
    if (now?.read_at == null) return now
    return { ...now, age_s: Math.max(0, plant.live.time() / 1000 - now.read_at) }
  })
  const sheet = shallowRef<Schemas['SheetOut'] | null>(null)
  const whatIf = ref<WhatIf | null>(null)
  const refused = ref<{ station: string; says: string } | null>(null)
  const problem = shallowRef<Problem | null>(null)
  /** The request that is answered now is of this point and this what-if; what comes for another is dropped. */
  const wanted = () => JSON.stringify([point.value, whatIf.value])

  const readPath = latest(async () => {
    const mine = wanted()
    const query = whatIf.value ?? { station: 'live' as const, text: '' }
    const answer = await ask(
      api.GET('/api/points/{point}/path', { params: { path: { point: point.value }, query } }),
    )
    if (mine !== wanted()) return
    if (answer.data) {
      raw.value = answer.data
      refused.value = problem.value = null
    } else if (answer.problem.status === 422) {
      refused.value = { station: query.station, says: answer.problem.title }
    } else problem.value = answer.problem
  })

  const readSheet = latest(async () => {
    const mine = point.value
    const answer = await ask(api.GET('/api/points/{point}/sheet', { params: { path: { point: mine } } }))
    if (mine !== point.value) return
    if (answer.data) sheet.value = answer.data
    else problem.value = answer.problem
  })

  /** A figure typed at a station. A fault stays while the figure is typed before it. */
  function typeAt(station: StationName, text: string) {
    const { fault, amount } = whatIf.value ?? {}
    const before = station === 'PROCESS' || station === 'DEVICE'
    whatIf.value = fault && before ? { station, text, fault, amount } : { station, text }
    void readPath()
  }

  function giveFault(station: StationName, text: string, fault: string, amount: string) {
    whatIf.value = fault ? { station, text, fault, amount } : { station, text }
    void readPath()
  }

  function goLive() {
    whatIf.value = null
    raw.value = plant.pointsNow.get(point.value)?.path ?? raw.value
    refused.value = null
    void readPath()
  }

  let letGo: (() => void) | undefined
  watch(point, () => {
    whatIf.value = null
    raw.value = sheet.value = problem.value = refused.value = null
    letGo?.()
    letGo = plant.follow(point.value)
    void readPath()
    void readSheet()
  }, { immediate: true }) // prettier-ignore
  onScopeDispose(() => letGo?.())
  // Many changes at once (a replay, a paste) are one look.
  watchDebounced(
    () => plant.list.version,
    () => (void readPath(), void readSheet()),
    { debounce: 40 },
  )
  // What the point says with each reading comes by itself.
  watch(
    () => plant.pointsNow.get(point.value),
    (now) => {
      if (!now || whatIf.value) return
      raw.value = now.path
      problem.value = null
    },
  )

  return { path, sheet, whatIf, refused, problem, typeAt, giveFault, goLive, readPath }
}
