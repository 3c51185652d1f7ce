/** What a row of the grid is: a point's row in the list (0 and on), the head of a group, or the empty one at the end. */

/** The empty last row: typed into, it becomes a point. */
export const FRESH = Number.MIN_SAFE_INTEGER

/** The head of a group stands as −1 − its number. */
export const isGroup = (row: number) => row < 0 && row !== FRESH
