/** What this screen asks the stream for: the racks it shows, points followed closely, stations of a board. */
import { shallowRef } from 'vue'
import type { Schemas } from '../api/client'
import type { Told } from '../stream/events'
import type { LiveColumns } from './live'

export interface PointNow {
  point: number
  path: Schemas['PathOut']
  advice: Schemas['AdvicesOut']
}

export interface Wishes {
  racks: number[]
  points: number[]
  stations: number[]
}

const MOST_RACKS = 64

/** changed: told whenever the screen wants something else than before. */
export function useFollowing(live: LiveColumns, changed: (wishes: Wishes) => void) {
  let racks: number[] = []
  const follows = new Map<number, number>()
  /** What the points that somebody follows closely said with the newest reading. */
  const pointsNow = shallowRef<ReadonlyMap<number, PointNow>>(new Map())
  /** The six stations of the points whose stations somebody shows, from the newest counts. */
  const stationsNow = shallowRef<ReadonlyMap<number, (number | null)[]>>(new Map())
  let stationsOf: number[] = []

  const wishes = (): Wishes => ({ racks, points: [...follows.keys()], stations: stationsOf })
  const want = () => changed(wishes())

  /** Begin with the racks of a list just read. */
  function begin(all: number[]) {
    racks = [...new Set(all)].filter(Boolean).slice(0, MOST_RACKS)
    live.follow(racks)
  }

  /** Ask for the blocks of these racks: those on screen, and a few that were. */
  function watch(wanted: number[]) {
    const next = [...new Set([...wanted, ...racks])].filter(Boolean).slice(0, MOST_RACKS)
    if (wanted.every((rack) => racks.includes(rack))) return
    racks = next
    live.follow(racks)
    want()
  }

  /** Follow a point closely: what it says comes with every reading (`pointsNow`). Returns how to let it go. */
  function follow(point: number): () => void {
    follows.set(point, (follows.get(point) ?? 0) + 1)
    if (follows.get(point) === 1) want()
    return () => {
      const left = (follows.get(point) ?? 1) - 1
      if (left) return void follows.set(point, left)
      follows.delete(point)
      const next = new Map(pointsNow.value)
      next.delete(point)
      pointsNow.value = next
      want()
    }
  }

  /** Show the six stations of these points (`stationsNow`), and of no others. */
  function showStations(points: number[]) {
    if (points.join() === stationsOf.join()) return
    stationsOf = [...points]
    stationsNow.value = new Map([...stationsNow.value].filter(([point]) => points.includes(point)))
    want()
  }

  function pointTold(told: PointNow) {
    if (follows.has(told.point)) pointsNow.value = new Map(pointsNow.value).set(told.point, told)
  }

  function stationsTold(told: Told['stations']) {
    stationsNow.value = new Map([
      ...stationsNow.value,
      ...told.stations.filter(([point]) => stationsOf.includes(point)),
    ])
  }

  return { pointsNow, stationsNow, wishes, begin, watch, follow, showStations, pointTold, stationsTold }
}
