import { createPinia, setActivePinia } from 'pinia'
import type { Schemas } from '../api/client'
import { usePlant } from './store'
import { useViews } from './views'

const field = (name: string, listed = true): Schemas['FieldOut'] => ({
  name, station: 'POINT', label: name, kind: 'text', says: name, width: 50, choices: [], applies: [], listed, unit: '', group: '',
}) // prettier-ignore

function views() {
  localStorage.clear()
  setActivePinia(createPinia())
  const fields = [field('tag'), field('service'), field('area'), field('alarm_h', false)]
  usePlant().plant = { fields } as Schemas['PlantOut']
  return useViews()
}
const shown = (made: ReturnType<typeof views>) => made.columns.map((column) => column.name)

test('the first view has what is listed, other columns are brought in behind one or at the end, and hidden again', () => {
  const made = views()
  expect(shown(made)).toEqual(['tag', 'service', 'area'])
  made.show('alarm_h', true, 'service')
  expect(shown(made)).toEqual(['tag', 'service', 'alarm_h', 'area'])
  made.show('service', false)
  expect(shown(made)).toEqual(['tag', 'alarm_h', 'area'])
  expect(made.changed).toBe(true)
})

test('columns move, and the tag stays first and shown whatever is done to it', () => {
  const made = views()
  made.move('area', -1)
  expect(shown(made)).toEqual(['tag', 'area', 'service'])
  made.move('area', -1)
  made.move('tag', 1)
  made.show('tag', false)
  expect(shown(made)).toEqual(['tag', 'area', 'service'])
})

test('a head sorts up, then down, then not at all; with Shift behind the others', () => {
  const made = views()
  made.sortBy('area', false)
  made.sortBy('service', true)
  expect(made.body.sort).toEqual([{ field: 'area', down: false }, { field: 'service', down: false }]) // prettier-ignore
  made.sortBy('area', false)
  expect(made.body.sort).toEqual([{ field: 'area', down: true }])
  made.sortBy('area', false)
  expect(made.body.sort).toEqual([])
})

test('a width keeps within bounds, and all of it is there again after a reload', () => {
  const made = views()
  made.width('service', 5000)
  made.width('area', 3)
  made.change({ group: 'area', density: 'close' })
  setActivePinia(createPinia())
  usePlant().plant = { fields: [field('tag'), field('service'), field('area')] } as Schemas['PlantOut']
  const again = useViews()
  again.recall()
  expect(again.columns.map((column) => column.width)).toEqual([50, 900, 24])
  expect([again.body.group, again.body.density]).toEqual(['area', 'close'])
})

test('what a browser kept that no longer fits is let go', () => {
  const made = views()
  localStorage.setItem('canaleta-view', 'not a view')
  made.recall()
  expect(shown(made)).toEqual(['tag', 'service', 'area'])
  localStorage.setItem(
    'canaleta-view',
    JSON.stringify({ name: 'old', body: { columns: [{ field: 'gone', width: 50 }] } }),
  )
  made.recall()
  expect(shown(made)).toEqual(['tag', 'service', 'area'])
})
