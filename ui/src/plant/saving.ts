/** Edits on their way to the list: saved, refused, held while the server is away; each keeps what was typed. */
import { promiseTimeout } from '@vueuse/core'
import { computed, ref, watch as onChange, type Ref, type ShallowRef } from 'vue'
import { api, ask, type Problem, type Schemas } from '../api/client'
import type { Change, ListColumns } from './columns'
import type { Say } from './notices'

export interface Waiting {
  point: number
  field: string
  was: string
  text: string
  state: 'saving' | 'refused' | 'conflict' | 'held'
  says: string
  theirs?: string
}

/** Under which an edit that waits is kept. */
export const waitKey = (point: number, field: string) => `${point}:${field}`

/** How long to wait before what a busy server did not take is sent again. */
const BUSY_WAITS_MS = [500, 1000, 2000, 4000, 4000]
/** A moment later it goes: somebody else was writing, or the database moved to another machine before it confirmed. An edit
 * says what stood in its cell, so that sending it again does no harm. A full disk stays full. */
const isBusy = (problem?: Problem) =>
  problem?.status === 503 && ['about:blank', 'urn:canaleta:unsure'].includes(problem.type ?? '')

/** taken: takes in a change set whose turn it is. */
export function useSaving(
  list: ListColumns,
  session: ShallowRef<Schemas['SessionNow'] | null>,
  ready: Ref<boolean>,
  say: Say,
  taken: (change: Change) => void,
) {
  const waiting = ref(new Map<string, Waiting>())

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
    const send = () =>
      ask(api.POST('/api/proposals', { body: { edits: real, source, why: '', apply: true, partial } }))
    let answer = await send()
    for (const wait of BUSY_WAITS_MS) {
      if (!isBusy(answer.problem)) break
      await promiseTimeout(wait)
      answer = await send()
    }
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
      list.place(change, true)
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

  const isSaving = () => onItsWay.size > 0

  /** When the server has answered all that is on its way to it, and what others who waited for that sent next. */
  async function answeredAll() {
    while (onItsWay.size) await Promise.allSettled(onItsWay)
  }

  async function turnBack(way: 'undo' | 'redo') {
    await answeredAll()
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

  /** Cells that came by the stream: who waits with the same text, or whose answer was late, waits no more. */
  function arrived(cells: Change['cells']) {
    for (const [point, field, text] of cells) {
      const wait = waiting.value.get(waitKey(point, field))
      if (wait?.state === 'saving' || wait?.text === text) waiting.value.delete(waitKey(point, field))
    }
  }

  return {
    waiting, waitingSeen, held, save, answered, leftOut, drop, sendHeld, dropHeld, waitingAt, turnBack, recallWaiting, arrived, answeredAll, isSaving,
  } // prettier-ignore
}
