/**
 * What keys, clipboard and mouse do in the grid: selection, editing in place, blocks, undo.
 *
 *     const { selection, editing, key, copy, paste } = useGrid({ rows: () => props.rows, … })
 */
import { computed, ref, watch } from 'vue'
import type { Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import { read, spread, written } from './clipboard'
import { at, blockOf, moved, tabbed, type Selection } from './selection'

type Field = Schemas['FieldOut']
export type Where = 'down' | 'right' | 'left' | 'stay'

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
}

export function useGrid(place: GridPlace) {
  const plant = usePlant()
  const selection = ref<Selection>(at(0, 0))
  const editing = ref<{ text: string; all: boolean } | null>(null)

  const block = computed(() => blockOf(selection.value))
  const extent = computed(() => ({
    rows: place.rows().length,
    cols: place.fields().length,
    page: place.page(),
  }))
  const activeField = computed(() => place.fields()[selection.value.active.col]!)
  const activeRow = computed(() => place.rows()[selection.value.active.row])
  const activePoint = computed(() =>
    activeRow.value === undefined ? undefined : plant.list.ids[activeRow.value],
  )

  const text = (field: Field, row: number) => plant.list.text(field.name, row)
  const editable = (field: Field) => plant.may('edit') && field.kind !== 'live' && field.kind !== 'checks'

  // A filter keeps the hand on its point, if that is still shown.
  watch(place.rows, (rows, before) => {
    const row = before[selection.value.active.row]
    const found = row === undefined ? -1 : rows.indexOf(row)
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
    editing.value = { text: start ?? wait?.text ?? text(field, activeRow.value), all: start === undefined }
  }

  function accept(where: Where) {
    const now = editing.value
    if (!now || activePoint.value === undefined || activeRow.value === undefined) return
    editing.value = null
    const field = activeField.value.name
    const wait = plant.waitingAt(activePoint.value, field)
    const was = wait?.state === 'conflict' ? (wait.theirs ?? '') : plant.list.text(field, activeRow.value)
    void plant.save([{ point: activePoint.value, field, was, text: now.text }])
    if (where === 'down') go(moved(selection.value, 'ArrowDown', extent.value))
    if (where === 'right' || where === 'left') go(tabbed(selection.value, extent.value, where === 'left'))
    if (where !== 'stay') place.focus()
  }

  function leave() {
    editing.value = null
    place.focus()
  }

  // Blocks -------------------------------------------------------------------------------------------

  /** Edits for a block of texts whose top left corner is a place; cells that are worked out are left out. */
  function editsFor(texts: string[][], top: number, left: number): Schemas['EditIn'][] {
    return texts.flatMap((line, r) =>
      line.flatMap((typed, c) => {
        const row = place.rows()[top + r]
        const field = place.fields()[left + c]
        if (row === undefined || !field || !editable(field)) return []
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
      .map((row) => columns.map((field) => text(field, row)))
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
    void plant.save(editsFor(texts, top, left), 'pasted')
    selection.value = {
      anchor: { row: top, col: left },
      active: {
        row: Math.min(top + texts.length, extent.value.rows) - 1,
        col: Math.min(left + texts[0]!.length, extent.value.cols) - 1,
      },
    }
  }

  function fillDown() {
    const { top, left } = block.value
    const texts = selectedTexts()
    const first = texts[0]!
    void plant.save(editsFor(texts.slice(1).map(() => first), top + 1, left), 'filled down') // prettier-ignore
  }

  function clear() {
    const { top, left } = block.value
    void plant.save(editsFor(selectedTexts().map((line) => line.map(() => '')), top, left), 'cleared') // prettier-ignore
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
    else if (event.key === 'Backspace') now.text = now.text.slice(0, -1)
    else if (event.key.length === 1) now.text = now.all ? event.key : now.text + event.key
    now.all = false
  }

  function key(event: KeyboardEvent) {
    if (editing.value) return early(event)
    const ctrl = event.ctrlKey || event.metaKey
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
      case 'a':
        return () =>
          (selection.value = { anchor: { row: 0, col: 0 }, active: { row: rows - 1, col: cols - 1 } })
    }
  }

  function plain(event: KeyboardEvent): (() => void) | undefined {
    const point = activePoint.value
    if (event.altKey || point === undefined) return undefined
    switch (event.key) {
      case 'Tab': {
        const next = tabbed(selection.value, extent.value, event.shiftKey)
        return next && (() => go(next))
      }
      case 'Enter':
        return () => place.open(point)
      case 'F2':
        return () => edit()
      case 'Delete':
      case 'Backspace':
        return clear
      case '/':
        return place.find
      case 'Escape':
        return () => plant.drop(point, activeField.value.name)
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
    go, edit, accept, leave, copy, paste, key, press, drag,
  } // prettier-ignore
}
