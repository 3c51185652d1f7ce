/** Who else works on the plant, and at which cell. */
import { useEventListener, useThrottleFn } from '@vueuse/core'
import { computed, shallowRef, type ShallowRef } from 'vue'
import { api, ask, csrfHeader, type Schemas } from '../api/client'

/** Somebody else's screen, and the cell chosen on it. */
export interface Person {
  who: string
  tab: string
  point: number | null
  field: string
  heard: number
}

const HERE_MS = 150_000
const HERE_EVERY_MS = 500
const TAB = Math.random().toString(36).slice(2, 12)

export function useCompany(session: ShallowRef<Schemas['SessionNow'] | null>) {
  const people = shallowRef<ReadonlyMap<string, Person>>(new Map())

  function came(person: Person) {
    // One's own other screens are no company.
    if (person.tab === TAB || person.who === session.value?.account) return
    const next = new Map(people.value)
    next.set(person.tab, { ...person, heard: Date.now() })
    people.value = next
  }

  /** Screens that were not heard of for a while are forgotten. */
  function forget() {
    const late = [...people.value.values()].filter((person) => Date.now() - person.heard > HERE_MS)
    if (!late.length) return
    const next = new Map(people.value)
    for (const person of late) next.delete(person.tab)
    people.value = next
  }

  let told = ''
  let toldAt = 0
  /** Tell the others where one is: at once when it changes, and again from time to time. */
  function tell(point: number | null, field: string) {
    const now = `${point} ${field}`
    if (now === told && Date.now() - toldAt < 0.4 * HERE_MS) return
    told = now
    toldAt = Date.now()
    sayHere(point, field)
  }
  // While a key is held the hand is nowhere for long: the first cell is told, and then the last.
  const sayHere = useThrottleFn(
    (point: number | null, field: string) =>
      void ask(api.POST('/api/here', { body: { tab: TAB, point, field } })),
    HERE_EVERY_MS,
    true,
  )

  // This screen closes; the request outlives the page.
  useEventListener(globalThis.window, 'pagehide', () => {
    void fetch('/api/here', {
      method: 'POST',
      keepalive: true,
      headers: { 'Content-Type': 'application/json', ...csrfHeader() },
      body: JSON.stringify({ tab: TAB, point: null, field: '' }),
    }).catch(() => undefined)
  })

  const othersAt = computed(() => {
    const out = new Map<number, Person[]>()
    for (const person of people.value.values())
      if (person.point !== null) out.set(person.point, [...(out.get(person.point) ?? []), person])
    return out
  })

  return { people, othersAt, came, forget, tell }
}
