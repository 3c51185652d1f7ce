/**
 * The find language over the plant on this screen.
 *
 *     const { findRows } = useSearch(); const { rows, notes } = findRows('kiln 2 has:finding')
 */
import { staleAfter } from './now'
import { find, search, type Around } from './find'
import { usePlant } from './store'

export function useSearch() {
  const plant = usePlant()
  const around: Around = {
    live: (point) => {
      const reading = plant.live.at(point)
      if (!reading || Number.isNaN(reading.counts)) return undefined
      const stale = plant.live.age(reading) > staleAfter(plant, reading.rack)
      return { value: reading.value, quality: reading.quality, stale, injected: reading.injected }
    },
    findings: (point) => plant.findingsOf.get(point) ?? [],
    locked: (point) => plant.locks.has(point),
    waiting: (point) => [...plant.waiting.values()].some((wait) => wait.point === point),
  }

  function findRows(query: string, only?: ReadonlySet<number>) {
    const asked = search(query, plant.list, plant.plant?.fields ?? [], around)
    return { rows: find(plant.list, asked, only), notes: asked.notes }
  }

  return { findRows }
}
