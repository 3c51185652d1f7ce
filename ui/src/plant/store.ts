/** The plant on this screen: session, list, live values, and what the stream tells, each subject in its own part. */
import { useIntervalFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { markRaw, ref, shallowRef } from 'vue'
import { ask, api, setCsrf, type Problem, type Schemas } from '../api/client'
import type { FromChannel } from '../stream/channel'
import { connect, type Connection } from '../stream/connect'
import { dispatch, type Takes } from '../stream/events'
import { ListColumns, type Change } from './columns'
import { useCompany } from './company'
import { useFollowing } from './following'
import { stepwise } from './idle'
import { useFindings } from './knownFindings'
import { LiveColumns } from './live'
import { useNotices } from './notices'
import { useSaving } from './saving'
import { opened } from './snapshot'
import { useStanding } from './standing'

export { waitKey, type Waiting } from './saving'
export type { Person } from './company'
export type { PointNow } from './following'
export type { OpenAlarm } from './standing'

/** The list that the page itself named, and that is on its way since: once, then a newer one is wanted. */
function comingList(): string | undefined {
  const named = document.querySelector<HTMLLinkElement>('link[rel=preload][href^="/api/list"]')
  named?.remove()
  return named?.getAttribute('href') ?? undefined
}

export const usePlant = defineStore('plant', () => {
  const list = markRaw(new ListColumns())
  const live = markRaw(new LiveColumns())
  const session = shallowRef<Schemas['SessionNow'] | null>(null)
  const plant = shallowRef<Schemas['PlantOut'] | null>(null)
  const words = shallowRef<Schemas['WordsOut'] | null>(null)
  const linkUp = ref(false)
  const ready = ref(false)
  /** Grow when typicals, or what the scan found at its racks, may be others than before. */
  const typicalsSeen = ref(0)
  const foundSeen = ref(0)
  let connection: Connection | undefined

  const { notice, say } = useNotices()
  const { read, settle, seq: findingsSeq, ...found } = useFindings()
  const { setAlarms, ...standing } = useStanding(session)
  const { came, forget, ...company } = useCompany(session)
  const { wishes, begin, pointTold, stationsTold, ...following } = useFollowing(live, (all) =>
    connection?.send({ kind: 'racks', ...all }),
  )
  const { recallWaiting, arrived, ...saving } = useSaving(list, session, ready, say, taken)
  const clock = useIntervalFn(() => (live.tick(), forget()), 1000, { immediate: false })

  const may = (right: string) => session.value?.rights.includes(right) ?? false

  const askAbout = () => ask(api.GET('/api/plant'))

  /** about: the plant, if it was asked for already, at once with the session. */
  async function enter(now: Schemas['SessionNow'], about?: ReturnType<typeof askAbout>) {
    session.value = now
    setCsrf(now.csrf)
    await load(about)
  }

  async function load(asked?: ReturnType<typeof askAbout>): Promise<Problem | undefined> {
    const about = await (asked ?? askAbout())
    if (about.problem) return about.problem
    plant.value = about.data
    // All at once: one after the other, the list would wait for what it does not need.
    const [snapshot, findings, told] = await Promise.all([
      fetch(comingList() ?? '/api/list')
        .then(async (answer) => (answer.ok ? opened(await answer.arrayBuffer()) : null))
        .catch(() => null),
      ask(api.GET('/api/findings')),
      ask(api.GET('/api/live/words')),
    ])
    if (findings.problem) return findings.problem
    if (!snapshot)
      return {
        type: '',
        title: 'the list did not come',
        status: 0,
        detail: '',
        remedy: 'reload the page',
        cells: [],
      }
    list.load(snapshot)
    read(findings.data.findings, findings.data.seq)
    words.value = told.data ?? null
    stepwise(list.prepared())
    if (!ready.value) recallWaiting()
    ready.value = true
    begin(list.racks)
    connection ??= connect(heard)
    if (!clock.isActive.value) clock.resume()
    connection.send({ kind: 'join', since: Math.min(list.seq, findingsSeq()), ...wishes() })
  }

  const signedOut = () => void (session.value = null)
  const takes: Takes = {
    hello: ({ now }) => live.hear(now),
    beat: ({ now }) => live.hear(now),
    live: (block) => (live.hear(block.now), live.take(block)),
    change: taken,
    reload: () => void load(),
    out: signedOut,
    locks: ({ locks }) => standing.setLocks(locks),
    here: came,
    alarms: setAlarms,
    temporary: ({ open }) => void (standing.temporary.value = open),
    found: () => foundSeen.value++,
    point: pointTold,
    stations: stationsTold,
    room: (told) => void (standing.room.value = told),
    standby: (told) => void (standing.standby.value = told),
  }

  function heard(message: FromChannel) {
    if (message.kind === 'event') return dispatch(message.event, takes)
    linkUp.value = message.up
    if (message.signedOut) signedOut()
  }

  /** Take in a change set, in its turn. List and findings were read apart and may stand at different numbers. */
  function taken(change: Change) {
    list.apply(change, change.who === session.value?.account)
    if (change.typicals) typicalsSeen.value++
    settle(change)
    arrived(change.cells)
  }

  async function leave() {
    await ask(api.DELETE('/api/session'))
    session.value = null
    ready.value = false
  }

  return {
    list, live, session, plant, words, linkUp, ready, typicalsSeen, foundSeen, notice, say,
    ...found, ...standing, ...company, ...following, ...saving, may, askAbout, enter, load, taken, leave,
  } // prettier-ignore
})
