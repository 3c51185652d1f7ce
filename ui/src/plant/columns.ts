/**
 * The whole list as plain columns, outside Vue's reactivity. Screens watch `version`; nothing else is reactive.
 *
 * A cell is text as the server sent it; '' is empty. Row numbers are positions in the snapshot, then in the order points
 * came; the row of a point that is gone stays empty, so that no other row moves.
 */
import { shallowRef } from 'vue'
import { Coded, Texts, columnOf, type Column, type Sought } from './column'
import type { Snapshot } from './snapshot'

export interface Change {
  seq: number
  at: string
  who: string
  source: string
  cells: [point: number, field: string, text: string][]
  closed: string[]
  opened: Finding[]
  added?: { id: number; rack: number; cells: Record<string, string> }[]
  removed?: number[]
  racks?: [point: number, rack: number][]
  typicals?: boolean
  anew?: boolean
}

export interface Finding {
  key: string
  rule: string
  station: string
  severity: string
  text: string
  cells: { point: number; field: string }[]
  fixes: { label: string; edits: { point: number; field: string; text: string }[] }[]
  harm: string
  cause: { key: string; says: string } | null
  trips: boolean
  waived: { reason: string; who: string; at: string; holds: boolean } | null
}

export class ListColumns {
  seq = 0
  ids: number[] = []
  racks: number[] = []
  private columns = new Map<string, Column>()
  private readonly changes = shallowRef(0)
  /** Grows when points come or go. */
  readonly structure = shallowRef(0)
  /** Points that came by what was done on this account. */
  readonly mine = new Set<number>()
  private gone = 0
  private rowOf = new Map<number, number>()

  load(snapshot: Snapshot): void {
    this.seq = snapshot.seq
    this.ids = snapshot.ids
    this.racks = snapshot.racks
    this.columns = new Map(Object.entries(snapshot.columns).map(([name, column]) => [name, columnOf(column)]))
    this.rowOf = new Map(snapshot.ids.map((id, row) => [id, row]))
    this.gone = 0
    this.structure.value++
    this.changes.value++
  }

  /** Grows with each change; the one thing here that Vue watches. */
  get version(): number {
    return this.changes.value
  }

  /** How many points there are. */
  get length(): number {
    return this.ids.length - this.gone
  }

  /** The rows that hold a point, in their order. */
  *rows(): Generator<number> {
    for (let row = 0; row < this.ids.length; row++) if (this.ids[row]) yield row
  }

  /** Whether it holds for a row of any point. */
  some(test: (row: number) => boolean): boolean {
    return this.ids.some((id, row) => id !== 0 && test(row))
  }

  row(point: number): number | undefined {
    return this.rowOf.get(point)
  }

  text(field: string, row: number): string {
    return this.columns.get(field)?.at(row) ?? ''
  }

  /** Take in a change set. A set that is already in is left out. Returns whether it was news. */
  apply(change: Change, mine = false): boolean {
    if (change.seq <= this.seq) return false
    this.place(change, mine)
    for (const [point, field, text] of change.cells) this.set(point, field, text)
    this.seq = change.seq
    this.changes.value++
    return true
  }

  /** Show cells that were just saved, before their change set comes by the stream in its turn. */
  show(cells: Change['cells']): void {
    for (const [point, field, text] of cells) this.set(point, field, text)
    this.changes.value++
  }

  /** Points that came and went, and those now on another rack. */
  place(
    { added = [], removed = [], racks = [] }: Pick<Change, 'added' | 'removed' | 'racks'>,
    mine = false,
  ): void {
    for (const { id, rack, cells } of added) {
      if (this.rowOf.has(id)) continue
      if (mine) this.mine.add(id)
      this.rowOf.set(id, this.ids.length)
      this.ids.push(id)
      this.racks.push(rack)
      for (const [name, column] of this.columns) this.room(name, column, '').push('')
      for (const name in cells) this.set(id, name, cells[name]!)
    }
    for (const point of removed) {
      const row = this.rowOf.get(point)
      if (row === undefined) continue
      this.rowOf.delete(point)
      this.ids[row] = 0
      this.gone++
    }
    for (const [point, rack] of racks) {
      const row = this.rowOf.get(point)
      if (row !== undefined) this.racks[row] = rack
    }
    if (added.length || removed.length) this.structure.value++
  }

  private set(point: number, field: string, text: string): void {
    const row = this.rowOf.get(point)
    if (row === undefined) return
    // A column that was empty throughout did not come with the snapshot.
    const known = this.columns.get(field) ?? new Coded([''], new Uint8Array(this.ids.length))
    this.room(field, known, text).set(row, text)
  }

  /** The column, kept so that it can take a text: one that comes to have many is kept as texts from then on. */
  private room(field: string, column: Column, text: string): Column {
    const takes = column instanceof Coded && !column.takes(text) ? Texts.of(column.all()) : column
    if (takes !== column || !this.columns.has(field)) this.columns.set(field, takes)
    return takes
  }

  has(field: string): boolean {
    return this.columns.has(field)
  }

  /** Whether something stands somewhere in a row, by what the rows say now. */
  having(sought: Sought): (row: number) => boolean {
    const marks = new Uint8Array(this.ids.length)
    for (const column of this.columns.values()) column.mark(sought, marks)
    return (row) => marks[row] === 1
  }

  /** Make ready what is sought in, a column at a time, so that the first search waits for nothing. */
  *prepared(): Generator<void> {
    const { columns } = this
    for (const column of columns.values()) {
      if (columns !== this.columns) return
      column.prepare()
      yield
    }
  }
}
