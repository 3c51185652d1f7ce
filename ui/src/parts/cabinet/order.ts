/** Where a module goes when it is moved along the rail. Plain arithmetic, for the drag and for the keys. */

/** The order after the one at `from` has gone to place `to`. */
export function movedOrder(order: number[], from: number, to: number): number[] {
  const out = [...order]
  const [moved] = out.splice(from, 1)
  out.splice(to, 0, moved!)
  return out
}

/** The place that the module at `from` has been dragged to: its leading edge has passed the middles of those between. */
export function dropPlace(middles: number[], width: number, from: number, by: number): number {
  const at = middles[from]! + by + (by > 0 ? width / 2 : -width / 2)
  let to = from
  while (by > 0 && to < middles.length - 1 && at > middles[to + 1]!) to++
  while (by < 0 && to > 0 && at < middles[to - 1]!) to--
  return to
}
