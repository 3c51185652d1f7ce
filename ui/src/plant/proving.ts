/** What the pages of the checkout share: tags of points, points by what is looked for, severities in words. */
import { usePlant } from './store'

export const SEVERITIES = ['A', 'B', 'C'] as const
export const SEVERITY_SAYS = {
  A: 'A: nothing is accepted while it is open',
  B: 'B: before the plant runs',
  C: 'C: afterwards',
} as const

export function useTags() {
  const plant = usePlant()
  /** A cell of a point, '' for one that is no longer in the list. */
  const cell = (point: number, field: string) => (
    void plant.list.version,
    plant.list.text(field, plant.list.row(point) ?? -1)
  )
  /** The point of a tag, in whatever case it was typed. */
  function pointOf(tag: string): number | undefined {
    const wanted = tag.trim().toLowerCase()
    const row = plant.list.ids.findIndex((_, r) => plant.list.text('tag', r).toLowerCase() === wanted)
    return row < 0 ? undefined : plant.list.ids[row]!
  }
  return { cell, pointOf }
}
