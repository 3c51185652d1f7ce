/** The plant on this screen: session, list, live values, findings, and edits that wait. */
import { useThrottleFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, markRaw, ref, shallowRef, watch as onChange } from 'vue'
import { ask, api, csrfHeader, setCsrf, type Problem, type Schemas } from '../api/client'
import type { FromChannel } from '../stream/channel'
import { connect, type Connection } from '../stream/connect'
import { accepted, byCost } from './findings'
import { stepwise } from './idle'
import { ListColumns, type Change, type Finding, type Snapshot } from './columns'
import { LiveColumns, type BlockEvent } from './live'

export interface Waiting {
  point: number
  field: string
  was: string
  text: string
  state: 'saving' | 'refused' | 'conflict' | 'held'
  says: string
  theirs?: string
}

/** Somebody else's screen, and the cell chosen on it. */
export interface Person {
  who: string
  tab: string
  point: number | null
  field: string
  heard: number
}

/** What has just happened, in words. */
export interface Notice {
  text: string
  kind: 'plain' | 'bad'
  undo: boolean
}

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

const MOST_RACKS = 64
const HERE_MS = 150_000
const HERE_EVERY_MS = 500
const TAB = Math.random().toString(36).slice(2, 12)

/** Under which an edit that waits is kept. */
export const waitKey = (point: number, field: string) => `${point}:${field}`

export interface PointNow {
  point: number
  path: Schemas['PathOut']
  advice: Schemas['AdvicesOut']
}

export const usePlant = defineStore('plant', () => {
  const list = markRaw(new ListColumns())
  const live = markRaw(new LiveColumns())
  const session = shallowRef<Schemas['SessionNow'] | null>(null)
  const plant = shallowRef<Schemas['PlantOut'] | null>(null)
  const findings = shallowRef<ReadonlyMap<string, Finding>>(new Map())
  const waiting = ref(new Map<string, Waiting>())
  const linkUp = ref(false)
  const locks = shallowRef<ReadonlyMap<number, Schemas['LockOut']>>(new Map())
  const people = shallowRef<ReadonlyMap<string, Person>>(new Map())
  const typicalsSeen = ref(0)
  const alarms = shallowRef<readonly OpenAlarm[]>([])
  /** How many alarms are open and how many wait, also those that a flood keeps from being told one by one. */
  const alarmCount = shallowRef({ all: 0, waiting: 0 })
  const temporary = shallowRef<readonly Schemas['EntryOut'][]>([])
  const foundSeen = ref(0)
  /** What the points that somebody follows closely said with the newest reading. */
  const pointsNow = shallowRef<ReadonlyMap<number, PointNow>>(new Map())
  const follows = new Map<number, number>()
  /** The six stations of the points whose stations somebody shows, from the newest counts. */
  const stationsNow = shallowRef<ReadonlyMap<number, (number | null)[]>>(new Map())
  let stationsOf: number[] = []
  /** What the server says of its disk while it is full, and what to do. */
  const room = ref({ says: '', remedy: '' })
  const words = shallowRef<Schemas['WordsOut'] | null>(null)
  const ready = ref(false)
  const notice = ref<Notice | null>(null)
  let connection: Connection | undefined
  let racks: number[] = []
  // The list may be older than the findings; what came before them is replayed for the cells alone.
  let findingsSeq = 0
  let ticking: ReturnType<typeof setInterval> | undefined

  const ofPoints = (wanted: (finding: Finding) => boolean) => {
    const out = new Map<number, Finding[]>()
    for (const finding of findings.value.values()) {
      if (!wanted(finding)) continue
      for (const point of new Set(finding.cells.map((cell) => cell.point))) {
        const known = out.get(point)
        if (known) known.push(finding)
        else out.set(point, [finding])
      }
    }
    for (const some of out.values()) some.sort((a, b) => byCost(a.severity, b.severity))
    return out
  }
  /** What is open, by point, the worst first; and what was accepted. */
  const findingsOf = computed(() => ofPoints((finding) => !accepted(finding)))
  const acceptedOf = computed(() => ofPoints(accepted))
  const may = (right: string) => session.value?.rights.includes(right) ?? false

  /** Tell what happened. undo: whether one's last change is that, so that it can be taken back from there. */
  function say(text: string, kind: Notice['kind'] = 'plain', { undo = false } = {}) {
    notice.value = { text, kind, undo }
  }

  async function enter(now: Schemas['SessionNow']) {
    session.value = now
    setCsrf(now.csrf)
    await load()
  }

  async function load(): Promise<Problem | undefined> {
    const about = await ask(api.GET('/api/plant'))
    if (about.problem) return about.problem
    plant.value = about.data
    // All at once: one after the other, the list would wait for what it does not need.
    const [snapshot, found, told] = await Promise.all([
      fetch(`/api/list/${about.data.seq}`)
        .then((answer) => answer.json() as Promise<Snapshot>)
        .catch(() => null),
      ask(api.GET('/api/findings')),
      ask(api.GET('/api/live/words')),
    ])
    if (found.problem) return found.problem
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
    findings.value = new Map(found.data.findings.map((f) => [f.key, f]))
    findingsSeq = found.data.seq
    words.value = told.data ?? null
    stepwise(list.prepared())
    if (!ready.value) recallWaiting()
    ready.value = true
    racks = [...new Set(list.racks)].filter(Boolean).slice(0, MOST_RACKS)
    live.follow(racks)
    connection ??= connect(heard)
    ticking ??= setInterval(() => (live.tick(), forget()), 1000)
    connection.send({
      kind: 'join',
      since: Math.min(list.seq, findingsSeq),
      racks,
      points: [...follows.keys()],
      stations: stationsOf,
    })
  }

  /** Tell the stream what this screen wants now. */
  const want = () =>
    connection?.send({ kind: 'racks', racks, points: [...follows.keys()], stations: stationsOf })

  /** Show the six stations of these points (`stationsNow`), and of no others. */
  function showStations(points: number[]) {
    if (points.join() === stationsOf.join()) return
    stationsOf = [...points]
    stationsNow.value = new Map([...stationsNow.value].filter(([point]) => points.includes(point)))
    want()
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

  function heard(message: FromChannel) {
    if (message.kind === 'link') {
      linkUp.value = message.up
      if (message.signedOut) session.value = null
      return
    }
    const { name, data } = message.event
    if (name === 'live') taught(data as BlockEvent)
    else if (name === 'change') taken(data as Change)
    else if (name === 'reload') void load()
    else if (name === 'out') session.value = null
    else if (name === 'locks') setLocks((data as Schemas['LocksOut']).locks)
    else if (name === 'here') came(data as Person)
    else if (name === 'alarms') {
      const told = data as { alarms: OpenAlarm[]; all: number; waiting: number }
      alarms.value = told.alarms
      alarmCount.value = { all: told.all, waiting: told.waiting }
    } else if (name === 'temporary') temporary.value = (data as { open: Schemas['EntryOut'][] }).open
    else if (name === 'found') foundSeen.value++
    else if (name === 'point') {
      const told = data as PointNow
      if (follows.has(told.point)) pointsNow.value = new Map(pointsNow.value).set(told.point, told)
    } else if (name === 'stations') {
      const told = data as { stations: [number, (number | null)[]][] }
      stationsNow.value = new Map([
        ...stationsNow.value,
        ...told.stations.filter(([point]) => stationsOf.includes(point)),
      ])
    } else if (name === 'room') room.value = data as { says: string; remedy: string }
    if (name === 'hello' || name === 'beat') live.hear((data as { now: number }).now)
  }

  function taught(block: BlockEvent) {
    live.hear(block.now)
    live.take(block)
  }

  function setLocks(all: Schemas['LockOut'][]) {
    locks.value = new Map(all.map((lock) => [lock.point, lock]))
  }

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
  if (typeof window !== 'undefined')
    window.addEventListener('beforeunload', (event) => {
      if (mine.value.some((t) => t.kind === 'force')) event.preventDefault()
    })

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

  /** Say that this screen closes; the request outlives the page. */
  function sayGone() {
    void fetch('/api/here', {
      method: 'POST',
      keepalive: true,
      headers: { 'Content-Type': 'application/json', ...csrfHeader() },
      body: JSON.stringify({ tab: TAB, point: null, field: '' }),
    }).catch(() => undefined)
  }
  if (typeof window !== 'undefined') window.addEventListener('pagehide', sayGone)

  const othersAt = computed(() => {
    const out = new Map<number, Person[]>()
    for (const person of people.value.values())
      if (person.point !== null) out.set(person.point, [...(out.get(person.point) ?? []), person])
    return out
  })

  /** Take in a change set, in its turn. List and findings were read apart and may stand at different numbers. */
  function taken(change: Change) {
    list.apply(change)
    if (change.typicals) typicalsSeen.value++
    if (change.seq > findingsSeq) {
      findingsSeq = change.seq
      settle(change)
    }
    for (const [point, field, text] of change.cells) {
      const wait = waiting.value.get(waitKey(point, field))
      if (wait?.state === 'saving' || wait?.text === text) waiting.value.delete(waitKey(point, field))
    }
  }

  function settle(change: Change) {
    if (!change.closed.length && !change.opened.length) return
    const next = new Map(findings.value)
    for (const gone of change.closed) next.delete(gone)
    for (const finding of change.opened) next.set(finding.key, finding)
    findings.value = next
  }

  // What is on its way to the server: an undo waits for it, or it would take back what came before.
  const onItsWay = new Set<Promise<unknown>>()

  /** Save edits. What cannot be saved stays at its cells with what was typed, and says why. */
  async function save(
    edits: Schemas['EditIn'][],
    source = 'typed',
    partial = false,
  ): Promise<Problem | undefined> {
    const saving = saved(edits, source, partial)
    onItsWay.add(saving)
    try {
      return await saving
    } finally {
      onItsWay.delete(saving)
    }
  }

  async function saved(
    edits: Schemas['EditIn'][],
    source: string,
    partial: boolean,
  ): Promise<Problem | undefined> {
    const real = edits.filter(
      (edit) => edit.text !== edit.was || waiting.value.has(waitKey(edit.point, edit.field)),
    )
    if (!real.length) return
    for (const edit of real)
      waiting.value.set(waitKey(edit.point, edit.field), { ...edit, state: 'saving', says: '' })
    const answer = await ask(
      api.POST('/api/proposals', { body: { edits: real, source, why: '', apply: true, partial } }),
    )
    if (answer.problem) {
      refused(real, answer.problem)
      return answer.problem
    }
    answered(answer.data, real)
    leftOut(answer.data.left ?? [], real)
  }

  /** Cells that stayed out of a block: each keeps what was typed, and why it could not be taken. */
  function leftOut(cells: Schemas['CellProblem'][], edits: Schemas['EditIn'][]) {
    if (!cells.length) return
    const wasOf = new Map(edits.map((edit) => [waitKey(edit.point, edit.field), edit.was]))
    for (const cell of cells) {
      const at = waitKey(cell.point, cell.field)
      waiting.value.set(at, {
        point: cell.point,
        field: cell.field,
        was: wasOf.get(at) ?? '',
        text: cell.typed,
        state: cell.theirs == null ? 'refused' : 'conflict',
        says: cell.says,
        theirs: cell.theirs ?? undefined,
      })
    }
    const rest = edits.length - cells.length
    say(
      `${cells.length} of ${edits.length} cells could not be taken and wait in their places · ${rest} are in`,
      'bad',
    )
  }

  /** Show what one's own edit did. If others' changes before it are still on their way, its turn comes by the stream. */
  function answered(changed: Schemas['ChangedOut'], edits: Schemas['EditIn'][]) {
    const change = changed.change as Change | null | undefined
    if (change?.anew) list.show(changed.cells.map(({ point, field, becomes }) => [point, field, becomes]))
    else if (change?.seq === list.seq + 1) taken(change)
    else if (change && change.seq > list.seq) {
      list.place(change)
      list.show(change.cells)
    }
    for (const edit of edits) waiting.value.delete(waitKey(edit.point, edit.field))
  }

  function refused(edits: Schemas['EditIn'][], problem: Problem) {
    if (problem.status === 401) session.value = null
    const cells = new Map((problem.cells ?? []).map((cell) => [waitKey(cell.point, cell.field), cell]))
    for (const edit of edits) {
      const cell = cells.get(waitKey(edit.point, edit.field))
      waiting.value.set(waitKey(edit.point, edit.field), {
        ...edit,
        state:
          problem.status === 0 || problem.status === 503
            ? 'held'
            : cell?.theirs == null
              ? 'refused'
              : 'conflict',
        says: cell?.says ?? problem.title,
        theirs: cell?.theirs ?? undefined,
      })
    }
    say(`${problem.title}${problem.remedy ? ` · ${problem.remedy}` : ''}`, 'bad')
  }

  function drop(point: number, field: string) {
    waiting.value.delete(waitKey(point, field))
  }

  /** Grows with each change of what waits: for those who draw from it without looking at every cell. */
  const waitingSeen = ref(0)
  onChange(waiting, () => waitingSeen.value++, { deep: true, flush: 'sync' })

  const held = computed(() => [...waiting.value.values()].filter((wait) => wait.state === 'held'))

  /** Send what waited while the server was away. Cells that others changed meanwhile come back as conflicts. */
  function sendHeld() {
    const edits = held.value.map(({ point, field, was, text }) => ({ point, field, was, text }))
    for (const edit of edits) waiting.value.delete(waitKey(edit.point, edit.field))
    return save(edits, 'typed while the server was away', true)
  }

  function dropHeld() {
    for (const edit of held.value) waiting.value.delete(waitKey(edit.point, edit.field))
  }

  // What is typed and not yet saved outlives a reload, in this browser, for this account.
  const keptAs = () => `canaleta-waiting-${session.value?.account ?? ''}`
  onChange(
    waiting,
    (now) => {
      if (!ready.value || !session.value) return
      const rest = [...now.values()].map((w) => (w.state === 'saving' ? { ...w, state: 'held' } : w))
      if (rest.length) localStorage.setItem(keptAs(), JSON.stringify(rest.slice(0, 5000)))
      else localStorage.removeItem(keptAs())
    },
    { deep: true },
  )

  function recallWaiting() {
    try {
      const kept = JSON.parse(localStorage.getItem(keptAs()) ?? '[]') as Waiting[]
      for (const wait of kept)
        if (list.row(wait.point) !== undefined && list.text(wait.field, list.row(wait.point)!) !== wait.text)
          waiting.value.set(waitKey(wait.point, wait.field), { ...wait, says: wait.says || 'not sent yet' })
    } catch {
      localStorage.removeItem(keptAs())
    }
  }

  const waitingAt = (point: number, field: string) => waiting.value.get(waitKey(point, field))

  async function turnBack(way: 'undo' | 'redo') {
    await Promise.allSettled(onItsWay)
    const answer = await ask(way === 'undo' ? api.POST('/api/undo') : api.POST('/api/redo'))
    if (answer.problem) return say(answer.problem.title, 'bad')
    answered(answer.data, [])
    const kept = answer.data.kept?.length ?? 0
    const tags = [...new Set(answer.data.cells.map((c) => list.text('tag', list.row(c.point) ?? -1)))]
    const where = tags.length > 3 ? `${tags.length} points` : tags.join(', ')
    const came = answer.data.change?.added.length ?? 0
    const went = answer.data.change?.removed.length ?? 0
    const points = `${came ? ` · ${came} point${came > 1 ? 's' : ''} came back` : ''}${went ? ` · ${went} point${went > 1 ? 's' : ''} went` : ''}`
    const left = kept ? ` · ${kept} cell${kept > 1 ? 's' : ''} others changed since stay` : ''
    say(
      `${way === 'undo' ? 'undone' : 'done again'}: ${answer.data.cells.length} cells ${where}${points}${left}`,
    )
  }

  async function leave() {
    await ask(api.DELETE('/api/session'))
    session.value = null
    ready.value = false
  }

  return {
    list, live, session, plant, findings, findingsOf, acceptedOf, waiting, linkUp, ready, notice,
    alarms, alarmsOf, alarmCount, temporary, holding, mine, foundSeen, room, pointsNow, follow, stationsNow, showStations, words, locks, people, othersAt, typicalsSeen, waitingSeen, setLocks, tell, held, sendHeld, dropHeld,
    may, say, enter, load, watch, taken, answered, leftOut, save, drop, waitingAt, turnBack, leave,
  } // prettier-ignore
})
