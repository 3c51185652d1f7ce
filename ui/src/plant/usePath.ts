/**
 * One point unfolded: its stations from the chosen source, refreshed with each reading or edit.
 *
 *     const { path, sheet, source, typeAt, goLive } = usePath(pointId)
 */
import { ref, shallowRef, watch, type Ref } from 'vue'
import { ask, api, type Problem, type Schemas } from '../api/client'
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
  const path = shallowRef<Schemas['PathOut'] | null>(null)
  const sheet = shallowRef<Schemas['SheetOut'] | null>(null)
  const whatIf = ref<WhatIf | null>(null)
  const refused = ref<{ station: string; says: string } | null>(null)
  const problem = shallowRef<Problem | null>(null)
  let asked = 0

  async function readPath() {
    const mine = ++asked
    const query = whatIf.value ?? { station: 'live' as const, text: '' }
    const answer = await ask(
      api.GET('/api/points/{point}/path', { params: { path: { point: point.value }, query } }),
    )
    if (mine !== asked) return
    if (answer.data) {
      path.value = answer.data
      refused.value = problem.value = null
    } else if (answer.problem.status === 422) {
      refused.value = { station: query.station, says: answer.problem.title }
    } else problem.value = answer.problem
  }

  async function readSheet() {
    const wanted = point.value
    const answer = await ask(api.GET('/api/points/{point}/sheet', { params: { path: { point: wanted } } }))
    if (wanted !== point.value) return
    if (answer.data) sheet.value = answer.data
    else problem.value = answer.problem
  }

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
    refused.value = null
    void readPath()
  }

  watch(point, () => {
    whatIf.value = null
    path.value = null
    void readPath()
    void readSheet()
  }, { immediate: true }) // prettier-ignore
  // Many changes at once (a replay, a paste) are one look.
  let soon: ReturnType<typeof setTimeout> | undefined
  watch(
    () => plant.list.version,
    () => {
      clearTimeout(soon)
      soon = setTimeout(() => (void readPath(), void readSheet()), 40)
    },
  )
  let lastRead = 0
  watch(() => plant.live.version, () => {
    if (whatIf.value) return
    const now = plant.live.at(point.value)?.readAt ?? 0
    if (now === lastRead && path.value?.age_s != null && path.value.age_s < 2) return
    lastRead = now
    void readPath()
  }) // prettier-ignore

  return { path, sheet, whatIf, refused, problem, typeAt, giveFault, goLive, readPath }
}
