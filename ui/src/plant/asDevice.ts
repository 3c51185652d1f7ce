/** VALUE set as the device is: its range, unit and what the unit is counted from, where the device says them. */
import type { Schemas } from '../api/client'
import type { ListColumns } from './columns'

const FROM_DEVICE = [
  ['value_low', 'device_low'],
  ['value_high', 'device_high'],
  ['value_unit', 'device_unit'],
  ['value_reference', 'device_reference'],
] as const

/** Edits that make VALUE of each point the same as its device; a point whose device has no range is left as it is. */
export function editsAsDevice(list: ListColumns, points: readonly number[]): Schemas['EditIn'][] {
  return points.flatMap((point) => {
    const row = list.row(point)
    if (row === undefined || !list.text('device_low', row) || !list.text('device_high', row)) return []
    return FROM_DEVICE.flatMap(([field, from]) => {
      const [was, text] = [list.text(field, row), list.text(from, row)]
      return text && text !== was ? [{ point, field, was, text }] : []
    })
  })
}
