/** What stands in the plant now and is not normal: alarms, forces and substitutes, locks of points, a full disk, a database that is away. */
import { useEventListener } from '@vueuse/core'
import { computed, ref, shallowRef, type ShallowRef } from 'vue'
import type { Schemas } from '../api/client'

/** An alarm that is not normal, as the stream tells it. */
export interface OpenAlarm {
  point: number
  kind: string
  state: string
  active: boolean
  priority: string
  since: string
  raised: string | null
  who: string
  why: string
  until: string | null
  value: number | null
}

export interface AlarmsNow {
  alarms: OpenAlarm[]
  all: number
  waiting: number
}

export function useStanding(session: ShallowRef<Schemas['SessionNow'] | null>) {
  const alarms = shallowRef<readonly OpenAlarm[]>([])
  /** How many alarms are open and how many wait, also those that a flood keeps from being told one by one. */
  const alarmCount = shallowRef({ all: 0, waiting: 0 })
  const temporary = shallowRef<readonly Schemas['EntryOut'][]>([])
  const locks = shallowRef<ReadonlyMap<number, Schemas['LockOut']>>(new Map())
  /** What the server says of its disk while it is full, and what to do. */
  const room = ref({ says: '', remedy: '' })
  /** What the server says of its database while that is away, or waits for its standby. */
  const standby = ref({ state: '', says: '', remedy: '' })

  function setAlarms(told: AlarmsNow) {
    alarms.value = told.alarms
    alarmCount.value = { all: told.all, waiting: told.waiting }
  }

  function setLocks(all: Schemas['LockOut'][]) {
    locks.value = new Map(all.map((lock) => [lock.point, lock]))
  }

  const alarmsOf = computed(() => {
    const out = new Map<number, OpenAlarm[]>()
    for (const alarm of alarms.value) out.set(alarm.point, [...(out.get(alarm.point) ?? []), alarm])
    return out
  })
  /** What is held by force or replaced here, and by whom; one's own are asked about when leaving. */
  const holding = computed(() =>
    temporary.value.filter((t) => t.kind === 'force' || t.kind === 'substitute here'),
  )
  const mine = computed(() => temporary.value.filter((t) => t.who === session.value?.account))
  useEventListener(globalThis.window, 'beforeunload', (event) => {
    if (mine.value.some((t) => t.kind === 'force')) event.preventDefault()
  })

  return { alarms, alarmsOf, alarmCount, temporary, holding, mine, locks, room, standby, setAlarms, setLocks }
}
