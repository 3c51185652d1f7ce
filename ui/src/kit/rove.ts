/**
 * Of many that stand together one is reached by Tab, and the others from it by the arrows, whatever rows they flow into.
 *
 *     <div @keydown="rove($event, '.card')">…
 *
 * Whoever calls gives the one that Tab reaches `tabindex="0"` and the others `-1`.
 */
export function rove(event: KeyboardEvent, which: string): void {
  const box = event.currentTarget as HTMLElement
  const all = [...box.querySelectorAll<HTMLElement>(which)]
  const at = all.findIndex((one) => one === event.target)
  if (at < 0 || event.altKey || event.ctrlKey || event.metaKey) return
  const here = all[at]!.getBoundingClientRect()
  /** The next row's one that is most nearly above or below. */
  const over = (some: HTMLElement[]) => {
    const row = some.find((one) => Math.abs(one.getBoundingClientRect().top - here.top) > 1)
    const top = row?.getBoundingClientRect().top
    return some
      .map((one) => ({ one, at: one.getBoundingClientRect() }))
      .filter(({ at }) => top !== undefined && Math.abs(at.top - top) <= 1)
      .sort((a, b) => Math.abs(a.at.left - here.left) - Math.abs(b.at.left - here.left))[0]?.one
  }
  const to = {
    ArrowRight: () => all[at + 1],
    ArrowLeft: () => all[at - 1],
    ArrowDown: () => over(all.slice(at + 1)),
    ArrowUp: () => over(all.slice(0, at).reverse()),
    Home: () => all[0],
    End: () => all.at(-1),
  }[event.key]
  if (!to) return
  event.preventDefault()
  to()?.focus()
}
