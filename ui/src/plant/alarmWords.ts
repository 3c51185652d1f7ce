/** How alarms name what they are of: a point of the list, or a rack with all of its points. */
import { rackOf } from './alarms'
import { formOf, rackById } from './now'
import type { usePlant } from './store'
import { figure } from './words'

export function useAlarmWords(plant: ReturnType<typeof usePlant>) {
  const cell = (point: number, field: string) => (
    void plant.list.version,
    plant.list.text(field, plant.list.row(point) ?? -1)
  )
  const rackName = (point: number) => rackById(plant, -point)?.name ?? 'a rack that is gone'

  /** The value it came with, as the point shows its own. */
  function value(of: { point: number; value?: number | null }): string {
    if (of.value == null || of.point < 0) return ''
    const form = formOf(plant, plant.list.row(of.point) ?? -1)
    return form.contact
      ? cell(of.point, `text_${of.value}`)
      : `${figure(of.value, form.decimals)} ${form.unit}`
  }

  /** Where one looks at it. */
  const wayTo = (of: { point: number }) => (rackOf(of) ? `/cabinets?rack=${rackOf(of)}` : `/now/${of.point}`)
  const tagOf = (of: { point: number }) => (rackOf(of) ? rackName(of.point) : cell(of.point, 'tag'))
  return { cell, rackName, value, wayTo, tagOf }
}
