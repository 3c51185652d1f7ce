/**
 * Where the cells of the grid are: rows of one height, columns side by side, the first of them frozen. Plain arithmetic
 * in CSS pixels, no browser.
 */

/** What of the list is in sight: its scroll position, and the room below the heads. */
export interface Sight {
  top: number
  left: number
  width: number
  height: number
}

export interface Cells {
  rowHeight: number
  rows: number
  /** Width of each column. */
  widths: readonly number[]
  /** So many rows stay at the top, whatever is scrolled under them. */
  frozen?: number
}

const bandOf = ({ frozen = 0, rowHeight }: Pick<Cells, 'frozen' | 'rowHeight'>) => frozen * rowHeight

/** Where the upper edge of a row is drawn. */
export const topOf = (row: number, sight: Pick<Sight, 'top'>, cells: Pick<Cells, 'frozen' | 'rowHeight'>) =>
  row * cells.rowHeight - (row < (cells.frozen ?? 0) ? 0 : sight.top)

/** The left edge of each column, and the right edge of the last behind them. */
export function edges(widths: readonly number[]): number[] {
  const out = [0]
  for (const width of widths) out.push(out.at(-1)! + width)
  return out
}

/** First and last row under the frozen ones that a sight shows any of; last < first where there is none. */
export function rowsIn(
  sight: Sight,
  { rowHeight, rows, frozen = 0 }: Cells,
): { first: number; last: number } {
  const first = Math.max(0, Math.floor(sight.top / rowHeight)) + frozen
  return { first, last: Math.min(rows - 1, Math.ceil((sight.top + sight.height) / rowHeight) - 1) }
}

/** Columns behind the frozen one that a sight shows any of, from left to right. */
export function columnsIn(sight: Sight, lefts: readonly number[]): number[] {
  const out: number[] = []
  const frozen = lefts[1] ?? 0
  for (let c = 1; c < lefts.length - 1; c++)
    if (lefts[c + 1]! > sight.left + frozen && lefts[c]! < sight.left + sight.width) out.push(c)
  return out
}

/** The cell at a place of the drawing (0, 0 is its upper left corner), undefined outside all cells. */
export function cellAt(x: number, y: number, sight: Sight, cells: Cells, lefts: readonly number[]) {
  const row = Math.floor((y < bandOf(cells) ? y : sight.top + y) / cells.rowHeight)
  if (y < 0 || row < 0 || row >= cells.rows) return undefined
  if (x < 0) return undefined
  if (x < (lefts[1] ?? 0)) return { row, col: 0 }
  const col = lefts.findIndex((left, c) => c > 0 && x + sight.left < left) - 1
  return col < 1 ? undefined : { row, col }
}

/** Where the lower right corner of a block is drawn; undefined where it lies under the frozen column or rows. */
export function cornerOf(
  { bottom, right }: { bottom: number; right: number },
  sight: Sight,
  cells: Pick<Cells, 'rowHeight' | 'frozen'>,
  lefts: readonly number[],
): { x: number; y: number } | undefined {
  const frozen = lefts[1] ?? 0
  const x = right === 0 ? frozen : lefts[right + 1]! - sight.left
  if (right > 0 && x <= frozen) return undefined
  const y = topOf(bottom, sight, cells) + cells.rowHeight
  return bottom >= (cells.frozen ?? 0) && y <= bandOf(cells) ? undefined : { x, y }
}

/** The scroll position that brings a cell whole into sight by the shortest way. */
export function scrolledTo(
  row: number,
  col: number,
  sight: Sight,
  cells: Cells,
  lefts: readonly number[],
): { top: number; left: number } {
  const { rowHeight, frozen = 0 } = cells
  const above = row * rowHeight
  let { top, left } = sight
  // What is frozen is in sight wherever one is.
  if (row >= frozen && above - bandOf(cells) < top) top = above - bandOf(cells)
  else if (row >= frozen && above + rowHeight > top + sight.height) top = above + rowHeight - sight.height
  if (col > 0) {
    const frozen = lefts[1]!
    if (lefts[col]! - frozen < left) left = lefts[col]! - frozen
    else if (lefts[col + 1]! > left + sight.width) left = lefts[col + 1]! - sight.width
  }
  return { top: Math.max(0, top), left: Math.max(0, left) }
}
