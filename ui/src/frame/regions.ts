/**
 * The parts of the screen that F6 goes through: the rail, the bar, the page. In the list Tab goes from cell to cell, as in
 * a sheet; this leads out of it.
 */
const REGIONS = ['nav.rail', '.topbar', '.page']
const REACHED =
  'a[href], button:not([disabled]), input:not([disabled]), textarea:not([disabled]), [tabindex]:not([tabindex="-1"])'

const seen = (one: HTMLElement) => one.tabIndex >= 0 && one.getClientRects().length > 0

/** Put the hand on the first thing of the next part, or of the one before; where there is none, on the one after that. */
export function nextRegion(back = false): void {
  const regions = REGIONS.map((name) => document.querySelector<HTMLElement>(name))
  const here = regions.findIndex((region) => region?.contains(document.activeElement))
  for (let steps = 1; steps <= regions.length; steps++) {
    const at = (here + (back ? -steps : steps) + 2 * regions.length) % regions.length
    const first = [...(regions[at]?.querySelectorAll<HTMLElement>(REACHED) ?? [])].find(seen)
    if (first && at !== here) return first.focus()
  }
}
