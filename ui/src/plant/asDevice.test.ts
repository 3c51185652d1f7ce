import { expect, test } from 'vitest'
import { editsAsDevice } from './asDevice'
import { ListColumns } from './columns'

const list = new ListColumns()
list.load({
  seq: 1,
  ids: [1, 2, 3],
  racks: [1, 1, 1],
  columns: {
    device_low: ['-50', '0', ''],
    device_high: ['250', '10', ''],
    device_unit: ['°C', 'bar', ''],
    value_low: ['-50', '', '7'],
    value_high: ['200', '', '8'],
    value_unit: ['°C', '', 'V'],
  },
})

test('only what differs from the device is set', () => {
  expect(editsAsDevice(list, [1])).toEqual([{ point: 1, field: 'value_high', was: '200', text: '250' }])
})

test('a value that says nothing yet takes range and unit', () => {
  expect(editsAsDevice(list, [2]).map((edit) => [edit.field, edit.text])).toEqual([
    ['value_low', '0'],
    ['value_high', '10'],
    ['value_unit', 'bar'],
  ])
})

test('a device without a range leaves the value alone, and so does a point that is gone', () => {
  expect(editsAsDevice(list, [3, 99])).toEqual([])
})
