/**
 * The rows in sight as elements over the drawing: transparent to the eye, whole to a screen reader, to find in page and
 * to whoever looks for a cell. They are made while scrolling rests, some at a time; the row of the hand is always there.
 *
 *     const rest = new RowsAtRest(body, source); rest.hand(4); rest.show(0, 25)
 */
import type { Schemas } from '../api/client'
import type { Time } from '../plant/idle'
import type { Group } from '../plant/order'
import { toTheRight, type Contents } from './contents'
import { FRESH, isGroup } from './rows'
import { holds, type Block, type Selection } from './selection'
import { edges } from './sight'

type Field = Schemas['FieldOut']

export interface Shown {
  rows: readonly number[]
  /** The point of a row of the list. */
  point: (row: number) => number
  rowHeight: number
  /** Where the upper edge of a row is, in the body. */
  top: (index: number) => number
  /** Rows that stay at the top. */
  frozen: number
  fields: readonly Field[]
  groups: readonly Group[]
  contents: Contents
  selection: Selection
  block: Block
  editing: boolean
  editable: (field: Field) => boolean
}

/** Rows made in one go, so that no task of the browser is long. */
const SLICE = 6

interface Kept {
  box: HTMLElement
  row: number
  cells: HTMLElement[]
}

export class RowsAtRest {
  private kept = new Map<number, Kept>()
  private fields: readonly Field[] = []
  private waiting: number | undefined

  constructor(
    private readonly body: HTMLElement,
    private readonly source: () => Shown,
    private readonly time: Time,
  ) {}

  /** The row of the hand is there at once, wherever the rest is. */
  hand(index: number): void {
    const shown = this.source()
    shown.contents.begin()
    if (index >= 0 && index < shown.rows.length) this.put(shown, index)
  }

  /** These rows and no others, made when there is time; at once if asked. */
  show(first: number, last: number, at: { once: boolean }): void {
    this.pause()
    const shown = this.source()
    shown.contents.begin()
    const hand = shown.selection.active.row
    if (shown.fields !== this.fields) this.clear()
    for (const [index, kept] of this.kept)
      if ((index < first || index > last) && index !== hand && index >= shown.frozen) {
        kept.box.remove()
        this.kept.delete(index)
      }
    for (let index = 0; index < shown.frozen; index++) this.put(shown, index)
    let next = first
    const some = () => {
      this.waiting = undefined
      const now = this.source()
      now.contents.begin()
      const end = at.once ? last : Math.min(last, next + SLICE - 1)
      for (; next <= end; next++) this.put(now, next)
      if (next <= last) this.waiting = this.time.later(some)
    }
    if (at.once) some()
    else this.waiting = this.time.later(some)
  }

  /** Nothing more is made for now. */
  pause(): void {
    if (this.waiting !== undefined) this.time.never(this.waiting)
    this.waiting = undefined
  }

  /** What is there tells what stands there now. With `only`, the columns of one kind. */
  renew(only?: string): void {
    const shown = this.source()
    shown.contents.begin()
    if (shown.fields !== this.fields) return
    for (const index of this.kept.keys()) this.put(shown, index, only)
  }

  /** Where the selection was and is: these rows alone tell it. */
  chose(first: number, last: number): void {
    const shown = this.source()
    shown.contents.begin()
    if (shown.fields !== this.fields) return
    for (const index of this.kept.keys()) if (index >= first && index <= last) this.put(shown, index)
  }

  /** Nothing that is there is right any more: other rows, other columns. */
  clear(): void {
    this.pause()
    this.kept.clear()
    this.body.replaceChildren()
    this.fields = this.source().fields
  }

  private put(shown: Shown, index: number, only?: string): void {
    const row = shown.rows[index]
    if (row === undefined) return
    let kept = this.kept.get(index)
    if (kept && isGroup(kept.row) !== isGroup(row)) {
      kept.box.remove()
      this.kept.delete(index)
      kept = undefined
    }
    if (!kept) kept = this.make(shown, index, row)
    kept.row = row
    kept.box.classList.toggle('fresh', row === FRESH)
    placed(kept.box, index, shown)
    if (isGroup(row)) return group(kept.box, shown.groups[-1 - row]!)
    shown.fields.forEach((field, c) => {
      if (!only || field.kind === only) cell(kept.cells[c]!, shown, index, row, c)
    })
  }

  private make(shown: Shown, index: number, row: number): Kept {
    if (!this.fields.length) this.fields = shown.fields
    const box = document.createElement('div')
    box.className = 'row'
    box.setAttribute('role', 'row')
    const lefts = edges(shown.fields.map((field) => field.width))
    const cells = isGroup(row)
      ? []
      : shown.fields.map((field, c) => {
          const made = document.createElement('span')
          made.setAttribute('role', 'gridcell')
          made.setAttribute('aria-colindex', String(c + 1))
          made.style.width = `${field.width}px`
          if (c > 0) made.style.left = `${lefts[c]!}px`
          return made
        })
    box.append(...cells)
    const kept = { box, row, cells }
    // A reader goes through them as they stand in the list.
    let after: number | undefined
    for (const other of this.kept.keys())
      if (other > index && (after === undefined || other < after)) after = other
    this.body.insertBefore(box, after === undefined ? null : this.kept.get(after)!.box)
    this.kept.set(index, kept)
    return kept
  }
}

const told = new WeakMap<Element, string>()
/** Whether an element says this already; from now on it does. */
function said(element: Element, text: string): boolean {
  if (told.get(element) === text) return true
  told.set(element, text)
  return false
}

/** Sets what differs: an element that is as it should be costs nothing. */
function set(element: Element, name: string, value: string | null): void {
  if (element.getAttribute(name) === value) return
  if (value === null) element.removeAttribute(name)
  else element.setAttribute(name, value)
}

function placed(box: HTMLElement, index: number, { rowHeight, fields, selection, top: at }: Shown): void {
  const top = `translateY(${at(index)}px)`
  if (box.style.transform === top && box.style.height === `${rowHeight}px`) {
    box.classList.toggle('here', index === selection.active.row)
    return
  }
  box.style.transform = top
  box.style.height = `${rowHeight}px`
  box.style.lineHeight = `${rowHeight - 1}px`
  box.style.width = `${fields.reduce((sum, field) => sum + field.width, 0)}px`
  set(box, 'aria-rowindex', String(index + 3))
  box.classList.toggle('here', index === selection.active.row)
}

function group(box: HTMLElement, { text, count, closed }: Group): void {
  const says = `${closed ? '▸' : '▾'} ${text || 'none'}`
  if (said(box, `${says}\n${count}`)) return
  const cell = document.createElement('span')
  cell.className = 'group'
  cell.setAttribute('role', 'gridcell')
  const button = document.createElement('button')
  button.type = 'button'
  button.tabIndex = -1
  button.dataset.turn = text
  cell.setAttribute('aria-expanded', String(!closed))
  button.textContent = says
  const points = document.createElement('span')
  points.textContent = `${count} points`
  cell.append(button, points)
  box.replaceChildren(cell)
}

function cell(made: HTMLElement, shown: Shown, index: number, row: number, c: number): void {
  const { fields, contents, selection, block, editable } = shown
  const field = fields[c]!
  const content = contents.cell(row, field)
  const active = index === selection.active.row && c === selection.active.col
  const picked = holds(block, index, c)
  const flag = c === 0 ? contents.flag(row)?.text : undefined
  const lock = c === 0 ? contents.lock(row) : ''
  set(made, 'id', `cell-${shown.point(row)}-${field.name}`)
  set(made, 'aria-selected', String(picked))
  set(made, 'aria-readonly', String(!editable(field)))
  const classes = [
    'cell', c === 0 && 'frozen', toTheRight(field) && 'right', picked && 'picked', active && 'active',
    content.others.length && 'shared', content.marked, content.state,
  ] // prettier-ignore
  const all = classes.filter(Boolean).join(' ')
  if (made.className !== all) made.className = all
  const tip = [content.tip, lock].filter(Boolean).join('\n')
  set(made, 'data-tip', tip || null)
  const text = active && shown.editing ? '' : content.parts.map((part) => part.text).join(' ')
  const key = `${flag ?? ''}\n${text}\n${lock}\n${content.others.join()}`
  if (said(made, key)) return
  made.replaceChildren(
    ...(flag ? [part('flag', flag)] : []),
    text,
    ...(lock ? [part('lock', 'locked')] : []),
    ...content.others.map((who) => part('other', who)),
  )
}

function part(name: string, text: string): HTMLElement {
  const made = document.createElement('span')
  made.className = name
  made.textContent = text
  return made
}
