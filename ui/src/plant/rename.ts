/** Where a tag stands in texts of the list: what a rename touches. */
import type { ListColumns } from './columns'
import { waitKey } from './saving'

/** Texts in which people name other points. */
const TEXTS = ['service', 'notes', 'trips', 'used_by', 'inhibit', 'tell', 'if_high', 'if_low', 'alarm_says', 'redundant', 'second_name'] // prettier-ignore

/** What was typed and will stand in the list, if nobody stops it. */
const COMES = new Set(['saving', 'held'])

export interface Mention {
  row: number
  field: string
  was: string
  text: string
}

/**
 * Cells that name a tag as a whole word (PT-31 is not named by PT-310), and what they would say after the rename. waiting:
 * what was typed and is not in the list yet; it is looked through as if it were.
 */
export function mentions(
  list: ListColumns,
  { was, text }: { was: string; text: string },
  waiting: ReadonlyMap<string, { state: string; text: string }> = new Map(),
): Mention[] {
  if (was.length < 2) return []
  const escaped = was.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
  const whole = new RegExp(`(?<![\\p{L}\\p{N}-])${escaped}(?![\\p{L}\\p{N}-])`, 'giu')
  const key = was.toLowerCase()
  const out: Mention[] = []
  for (const field of TEXTS) {
    if (!list.has(field)) continue
    for (const row of list.rows()) {
      const typed = waiting.size ? waiting.get(waitKey(list.ids[row]!, field)) : undefined
      const before = typed && COMES.has(typed.state) ? typed.text : list.text(field, row)
      if (!before || !before.toLowerCase().includes(key)) continue
      const after = before.replace(whole, () => text)
      if (after !== before) out.push({ row, field, was: before, text: after })
    }
  }
  return out
}
