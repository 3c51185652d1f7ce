/** Selection in list coordinates: plain functions, no browser. Rows are places in what is shown. */
export interface Place {
  row: number
  col: number
}

/** anchor: where the selection began; active: where the hand is now. */
export interface Selection {
  anchor: Place
  active: Place
}

export interface Extent {
  rows: number
  cols: number
  /** Rows that a page key moves by. */
  page: number
}

export interface Block {
  top: number
  bottom: number
  left: number
  right: number
}

export const at = (row: number, col: number): Selection => ({ anchor: { row, col }, active: { row, col } })

export function blockOf({ anchor, active }: Selection): Block {
  return {
    top: Math.min(anchor.row, active.row),
    bottom: Math.max(anchor.row, active.row),
    left: Math.min(anchor.col, active.col),
    right: Math.max(anchor.col, active.col),
  }
}

export const holds = (block: Block, row: number, col: number) =>
  row >= block.top && row <= block.bottom && col >= block.left && col <= block.right

const clamp = (value: number, most: number) => Math.max(0, Math.min(value, most))

/** Where a movement key leads, or undefined if the key is none. With `extend` the anchor stays. */
export function moved(
  selection: Selection,
  key: string,
  extent: Extent,
  { extend = false, far = false } = {},
): Selection | undefined {
  const { row, col } = selection.active
  const last = { row: extent.rows - 1, col: extent.cols - 1 }
  const goals: Record<string, Place> = {
    ArrowUp: { row: far ? 0 : row - 1, col },
    ArrowDown: { row: far ? last.row : row + 1, col },
    ArrowLeft: { row, col: far ? 0 : col - 1 },
    ArrowRight: { row, col: far ? last.col : col + 1 },
    Home: { row: far ? 0 : row, col: 0 },
    End: { row: far ? last.row : row, col: last.col },
    PageUp: { row: row - extent.page, col },
    PageDown: { row: row + extent.page, col },
  }
  const goal = goals[key]
  if (!goal) return undefined
  const active = { row: clamp(goal.row, last.row), col: clamp(goal.col, last.col) }
  return { anchor: extend ? selection.anchor : active, active }
}

/** The next cell for Tab: to the right, and on to the next row at the end. */
export function tabbed(selection: Selection, extent: Extent, back: boolean): Selection | undefined {
  const place = selection.active.row * extent.cols + selection.active.col + (back ? -1 : 1)
  if (place < 0 || place >= extent.rows * extent.cols) return undefined
  return at(Math.floor(place / extent.cols), place % extent.cols)
}
