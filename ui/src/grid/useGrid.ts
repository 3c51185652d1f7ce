/**
 * What keys, clipboard and mouse do in the grid: selection, editing in place, blocks, undo.
 *
 *     const { selection, editing, key, copy, paste } = useGrid({ rows: () => props.rows, … })
 */
import { computed, nextTick, ref, watch } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import { read, spread, written } from './clipboard'
import { FRESH, isGroup } from './rows'
import { at, blockOf, moved, tabbed, type Selection } from './selection'

type Field = Schemas['FieldOut']
export type Where = 'down' | 'right' | 'left' | 'stay' | 'all'

export interface GridPlace {
  /** Rows of the list that are shown, and the columns. */
  rows: () => number[]
  fields: () => Field[]
  /** Rows that a page key moves by. */
  page: () => number
  focus: () => void
  /** Bring a cell into view. */
  show: (row: number, col: number) => void
  open: (point: number) => void
  find: () => void
  /** Open or close the group whose head stands in this row. */
  turn: (row: number) => void
  /** Whether a new tag is taken care of elsewhere, because the old one stands in other texts. */
  rename: (rename: { point: number; was: string; text: string }) => boolean
  /** Filter by a column. */
  filter: (field: string) => void
  /** A text typed into the empty last row; returns the point that it made of it. */
  fresh: (field: string, text: string) => Promise<number | undefined>
  /** Lines pasted below the last row: texts by field. */
  more: (rows: Record<string, string>[]) => void
}

/** Blocks larger than this are refused: the server takes no more cells at once. */
const MOST_CELLS = 20_000

const MOST_REMEMBERED = 5000

/** A text being typed: into which cell, against what stood there, and what stood in the whole block. */
interface Editing {
  text: string
  all: boolean
  point: number
  field: string
  was: string
  before: Schemas['EditIn'][] | null
}

export function useGrid(place: GridPlace) {
  const plant = usePlant()
  const selection = ref<Selection>(at(0, 0))
  const editing = ref<Editing | null>(null)

  const block = computed(() => blockOf(selection.value))
  const extent = computed(() => ({
    rows: place.rows().length,
    cols: place.fields().length,
    page: place.page(),
  }))
  const activeField = computed(() => place.fields()[selection.value.active.col]!)
  const activeRow = computed(() => place.rows()[selection.value.active.row])
  /** The point of the hand; 0 in the empty last row, undefined where there is none. */
  const activePoint = computed(() => {
    const row = activeRow.value
    if (row === FRESH) return 0
    return row === undefined || row < 0 ? undefined : plant.list.ids[row]
  })

  const text = (field: Field, row: number) => (row < 0 ? '' : plant.list.text(field.name, row))
  /** What one sees in a cell: also what was typed a moment ago and is on its way. */
  const seen = (field: Field, row: number) => {
    const wait = row < 0 ? undefined : plant.waitingAt(plant.list.ids[row]!, field.name)
    return wait?.state === 'saving' ? wait.text : text(field, row)
  }
  const typed = (field: Field) => !['live', 'checks', 'follows'].includes(field.kind)
  const editable = (field: Field) => plant.may('edit') && typed(field)
  /** The points of the selected rows. */
  const points = computed(() => {
    const { top, bottom } = block.value
    const rows = place.rows().slice(top, bottom + 1)
    return rows.flatMap((row) => (row < 0 ? [] : (plant.list.ids[row] ?? [])))
  })

  // A filter keeps the hand on its point, if that is still shown.
  watch(place.rows, (rows, before) => {
    const row = before[selection.value.active.row]
    const found = row === undefined || isGroup(row) ? -1 : rows.indexOf(row)
    selection.value = at(Math.max(0, found), selection.value.active.col)
  })

  function go(next: Selection | undefined) {
    if (!next || !place.rows().length) return
    selection.value = next
    place.show(next.active.row, next.active.col)
  }

  // Editing in place ---------------------------------------------------------------------------------

  function edit(start?: string) {
    const field = activeField.value
    if (activePoint.value === undefined || activeRow.value === undefined) return
    if (!editable(field)) {
      const why = plant.may('edit')
        ? `“${field.label}” is worked out, not typed`
        : 'a reader may look, not change'
      return plant.say(why)
    }
    const wait = plant.waitingAt(activePoint.value, field.name)
    const stands = plant.list.text(field.name, activeRow.value)
    editing.value = {
      text: start ?? wait?.text ?? text(field, activeRow.value),
      all: start === undefined,
      point: activePoint.value,
      field: field.name,
      // What stood there when the hand came decides a conflict, not what others have written since.
      was: wait?.state === 'conflict' ? (wait.theirs ?? '') : stands,
      before: standing(),
    }
  }

  function accept(where: Where) {
    const now = editing.value
    if (!now) return
    editing.value = null
    if (now.point === 0) return void begun(now, where)
    if (where === 'all') {
      setAll(now.text, now.before)
      return place.focus()
    }
    const { point, field, was } = now
    const asked =
      field === 'tag' &&
      now.text.trim() &&
      now.text !== was &&
      place.rename({ point, was, text: now.text.trim() })
    if (asked) return
    void plant.save([{ point, field, was, text: now.text }])
    if (where === 'down') go(moved(selection.value, 'ArrowDown', extent.value))
    if (where === 'right' || where === 'left') go(tabbed(selection.value, extent.value, where === 'left'))
    if (where !== 'stay') place.focus()
  }

  /** A text for the empty last row. Enter stays there for the next point, Tab goes on along the one that was made. */
  async function begun(now: Editing, where: Where) {
    const making = place.fresh(now.field, now.text)
    if (where === 'right' || where === 'left') go(tabbed(selection.value, extent.value, where === 'left'))
    if (where !== 'stay') place.focus()
    const made = await making
    if (made === undefined || where === 'down' || where === 'all') return
    // Once the rows have taken it in.
    await nextTick()
    await nextTick()
    const index = place.rows().indexOf(plant.list.row(made) ?? Number.NaN)
    if (index >= 0 && activePoint.value === 0 && !editing.value) go(at(index, selection.value.active.col))
  }

  function leave() {
    editing.value = null
    place.focus()
  }

  // Blocks -------------------------------------------------------------------------------------------

  /** Edits for a block of texts whose top left corner is a place; cells that are worked out are left out. */
  function editsFor(texts: string[][], top: number, left: number, rows = place.rows()): Schemas['EditIn'][] {
    return texts.flatMap((line, r) =>
      line.flatMap((typed, c) => {
        const row = rows[top + r]
        const field = place.fields()[left + c]
        if (row === undefined || row < 0 || !field || !editable(field)) return []
        return [{ point: plant.list.ids[row]!, field: field.name, was: text(field, row), text: typed }]
      }),
    )
  }

  function selectedTexts(): string[][] {
    const { top, bottom, left, right } = block.value
    const columns = place.fields().slice(left, right + 1)
    return place
      .rows()
      .slice(top, bottom + 1)
      .filter((row) => row >= 0)
      .map((row) => columns.map((field) => seen(field, row)))
  }

  function copy(event: ClipboardEvent) {
    if (editing.value) return
    event.preventDefault()
    event.clipboardData?.setData('text/plain', written(selectedTexts()))
  }

  function paste(event: ClipboardEvent) {
    if (editing.value) return
    event.preventDefault()
    if (!plant.may('edit')) return plant.say('a reader may look, not change')
    const { top, bottom, left, right } = block.value
    const pasted = read(event.clipboardData?.getData('text/plain') ?? '')
    const texts = spread(pasted, bottom - top + 1, right - left + 1)
    const points = extent.value.rows - (place.rows().at(-1) === FRESH ? 1 : 0)
    const beyond = texts.slice(Math.max(0, points - top))
    if (beyond.some((line) => line.some((cell) => cell.trim())))
      place.more(beyond.map((line) => rowOf(line, left)))
    const edits = editsFor(texts, top, left)
    const over = edits.filter((edit) => edit.was !== '' && edit.text !== edit.was).length
    void keep(edits, 'pasted').then((all) => {
      // What could not be taken waits in its cell, and that has been said.
      if (all && over)
        plant.say(`${over} of ${edits.length} cells pasted over what stood there`, 'plain', { undo: true })
    })
    selection.value = {
      anchor: { row: top, col: left },
      active: {
        row: Math.min(top + texts.length, extent.value.rows) - 1,
        col: Math.min(left + texts[0]!.length, extent.value.cols) - 1,
      },
    }
  }

  function rowOf(line: string[], left: number): Record<string, string> {
    const out: Record<string, string> = {}
    line.forEach((cell, c) => {
      const field = place.fields()[left + c]
      if (field && typed(field) && cell.trim()) out[field.name] = cell
    })
    return out
  }

  /** Save a block: what cannot be read stays in its cells, the rest is in. Whether all of it was taken. */
  async function keep(edits: Schemas['EditIn'][], source: string): Promise<boolean> {
    const real = edits.filter((edit) => edit.text !== edit.was)
    if (real.length > MOST_CELLS) {
      plant.say(`${real.length} cells at once; at most ${MOST_CELLS} are taken: nothing was changed`, 'bad')
      return false
    }
    await plant.save(real, source, true)
    return real.every((edit) => !plant.waitingAt(edit.point, edit.field))
  }

  // A quick hand fills before the server has answered what was typed just now: a block's edits say what stood in their
  // cells, so they wait for that answer.

  async function fillDown() {
    const { top, bottom, left } = block.value
    const first = selectedTexts()[0]
    if (!plant.may('edit')) return plant.say('a reader may look, not change')
    if (!first || top === bottom) return plant.say('select the cell to fill from and those below it')
    const rows = place.rows()
    if (plant.isSaving()) await plant.answeredAll()
    void keep(editsFor(Array.from({ length: bottom - top }, () => first), top + 1, left, rows), 'filled down') // prettier-ignore
  }

  /** Fill down as far as what stands beside the cells goes: the column to their left, or the one to their right. */
  function fillAlong() {
    const { bottom, left, right } = block.value
    const rows = place.rows()
    const filled = (field: Field, at: number) => (rows[at] ?? -1) >= 0 && text(field, rows[at]!) !== ''
    const beside = [left - 1, right + 1]
      .flatMap((col) => place.fields()[col] ?? [])
      .find((field) => typed(field) && filled(field, bottom + 1))
    if (!beside) return plant.say('nothing stands beside these cells, below: nothing to fill along')
    let last = bottom
    while (filled(beside, last + 1)) last++
    selection.value = { anchor: { row: bottom, col: left }, active: { row: last, col: right } }
    void fillDown()
  }

  /** Count on down the selection, from its first cell, or from the step between the first two. */
  async function countOn() {
    const { top, bottom, left, right } = block.value
    if (!plant.may('edit')) return plant.say('a reader may look, not change')
    if (top === bottom) return plant.say('select the first cell, or two that show the step, and those below')
    const texts = selectedTexts()
    const rows = place.rows()
    if (plant.isSaving()) await plant.answeredAll()
    const edits: Schemas['EditIn'][] = []
    for (let col = left; col <= right; col++) {
      const field = place.fields()[col]!
      const column = texts.map((line) => line[col - left]!)
      if (!editable(field) || !column[0]) continue
      // Two filled cells of three or more show the step; what stands below them is written over.
      const step = column.length > 2 && column[1] && column[1] !== column[0] ? 2 : 1
      const given = column.slice(0, step)
      const answer = await ask(
        api.POST('/api/series', { body: { field: field.name, texts: given, count: column.length - step } }),
      )
      if (answer.problem) return plant.say(`${field.label}: ${answer.problem.title}`, 'bad')
      edits.push(...editsFor(answer.data.texts.map((next) => [next]), top + step, col, rows)) // prettier-ignore
    }
    void keep(edits, 'series')
  }

  /** Edits that put one text into every cell of the block, against what stands there now. */
  function blockEdits(typedText: string): Schemas['EditIn'][] {
    const { top, bottom, left, right } = block.value
    const line = Array.from({ length: right - left + 1 }, () => typedText)
    return editsFor(Array.from({ length: bottom - top + 1 }, () => line), top, left) // prettier-ignore
  }

  function setAll(typedText: string, before: Editing['before']) {
    const edits = before?.map((edit) => ({ ...edit, text: typedText })) ?? blockEdits(typedText)
    void keep(edits, 'set at once')
  }

  /** The block as it stands, for a text that will go into all of it; a very large one is looked at when it does. */
  function standing(): Editing['before'] {
    const { top, bottom, left, right } = block.value
    return (bottom - top + 1) * (right - left + 1) <= MOST_REMEMBERED ? blockEdits('') : null
  }

  async function clear() {
    const { top, bottom, left, right } = block.value
    const rows = place.rows()
    if (plant.isSaving()) await plant.answeredAll()
    const blank = Array.from({ length: right - left + 1 }, () => '')
    void keep(editsFor(Array.from({ length: bottom - top + 1 }, () => blank), top, left, rows), 'cleared') // prettier-ignore
  }

  // Keys and mouse -----------------------------------------------------------------------------------

  /** Keys that come before the editor's input has the focus are not lost: they go where they were meant. */
  function early(event: KeyboardEvent) {
    const now = editing.value
    if (!now || event.ctrlKey || event.metaKey || event.altKey) return
    event.preventDefault()
    if (event.key === 'Enter') accept('down')
    else if (event.key === 'Tab') accept(event.shiftKey ? 'left' : 'right')
    else if (event.key === 'Escape') leave()
    else if (event.key === 'Backspace') now.text = now.all ? '' : now.text.slice(0, -1)
    else if (event.key.length === 1) now.text = now.all ? event.key : now.text + event.key
    now.all = false
  }

  function key(event: KeyboardEvent) {
    if (editing.value) return early(event)
    const ctrl = event.ctrlKey || event.metaKey
    if (event.altKey && event.key === 'ArrowDown') {
      event.preventDefault()
      return place.filter(activeField.value.name)
    }
    const step = moved(selection.value, event.key, extent.value, { extend: event.shiftKey, far: ctrl })
    const command = step ? () => go(step) : ctrl ? controlled(event) : plain(event)
    if (!command) return
    event.preventDefault()
    command()
  }

  function controlled(event: KeyboardEvent): (() => void) | undefined {
    const { rows, cols } = extent.value
    switch (event.key.toLowerCase()) {
      case 'z':
        return () => void plant.turnBack(event.shiftKey ? 'redo' : 'undo')
      case 'y':
        return () => void plant.turnBack('redo')
      case 'd':
        return fillDown
      case ' ':
        return () => (selection.value = { anchor: { row: 0, col: selection.value.active.col }, active: { row: rows - 1, col: selection.value.active.col } }) // prettier-ignore
      case 'a':
        return () =>
          (selection.value = { anchor: { row: 0, col: 0 }, active: { row: rows - 1, col: cols - 1 } })
    }
  }

  function plain(event: KeyboardEvent): (() => void) | undefined {
    const point = activePoint.value
    if (event.altKey) return undefined
    if (activeRow.value !== undefined && isGroup(activeRow.value)) {
      const row = activeRow.value
      return ['Enter', ' '].includes(event.key)
        ? () => place.turn(row)
        : event.key === '/'
          ? place.find
          : undefined
    }
    if (point === undefined) return event.key === '/' ? place.find : undefined
    switch (event.key) {
      case 'Tab': {
        const next = tabbed(selection.value, extent.value, event.shiftKey)
        return next && (() => go(next))
      }
      case 'Enter':
        return point ? () => place.open(point) : () => edit()
      case 'F2':
        return () => edit()
      case 'Delete':
      case 'Backspace':
        return point ? clear : () => void place.fresh(activeField.value.name, '')
      case '/':
        return place.find
      case 'Escape': {
        // Only what waits here is left; else Esc is for the panel beside the list.
        const field = activeField.value.name
        return plant.waitingAt(point, field) ? () => plant.drop(point, field) : undefined
      }
      case ' ':
        if (event.shiftKey) {
          const { top, bottom } = block.value
          return () => (selection.value = { anchor: { row: top, col: 0 }, active: { row: bottom, col: extent.value.cols - 1 } }) // prettier-ignore
        }
    }
    return event.key.length === 1 ? () => edit(event.key) : undefined
  }

  function press(event: MouseEvent, row: number, col: number) {
    if (event.button !== 0) return
    selection.value = event.shiftKey ? { anchor: selection.value.anchor, active: { row, col } } : at(row, col)
    place.focus()
  }

  function drag(event: MouseEvent, row: number, col: number) {
    if (event.buttons !== 1 || editing.value) return
    selection.value = { anchor: selection.value.anchor, active: { row, col } }
  }

  return {
    selection, block, editing, activeField, activePoint, editable,
    points, selectedTexts, fillDown, fillAlong, countOn, clear,
    go, edit, accept, leave, copy, paste, key, press, drag,
  } // prettier-ignore
}
