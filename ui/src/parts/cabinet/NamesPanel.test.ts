import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, mounted, plantOf, settled, typed } from '../../testing/mounted'
import type { Operation } from '../../plant/useHardware'
import NamesPanel from './NamesPanel.vue'

afterEach(cleared)

const channel = (k: number, name = '') => ({ channel: k - 1, address: `KC-2·1·2·${k}`, name })
const MODULE = { module: 7, title: 'AI-8', channels: [channel(1, 'ns=2;s=t1'), channel(2), channel(3)] }
const node = (name: string, more = {}) => ({ name, title: name.split('=').at(-1), leads: false, says: '20.5', held: '', ...more }) // prettier-ignore

async function opened(answers: Record<string, unknown> = {}, mayChange = true) {
  plantOf()
  const asked = answering(answers)
  const proposed: Operation[] = []
  const box = await mounted(NamesPanel, {
    module: MODULE,
    rack: 4,
    link: 'OPC UA',
    mayChange,
    onPropose: (_: string, [operation]: Operation[]) => proposed.push(operation!),
  })
  await settled()
  const names = () => [...box.querySelectorAll<HTMLInputElement>('ol input')].map((i) => i.value)
  return { box, asked, proposed, names }
}
const press = async (box: HTMLElement, text: string) => (button(box, text)!.click(), settled())

test('names are typed channel by channel and proposed as one change', async () => {
  const { box, proposed } = await opened()
  expect(button(box, 'keep these names')).toBeUndefined()
  await typed(box.querySelectorAll<HTMLInputElement>('ol input')[1]!, ' ns=2;s=t2 ')
  await press(box, 'keep these names')
  expect(proposed).toEqual([{ do: 'name channels', module: 7, channel: 0, names: ['ns=2;s=t1', 'ns=2;s=t2', ''] }]) // prettier-ignore
})

test('one name picked names the channels behind it as well, and no channel that has one', async () => {
  const found = [node('ns=2;s=hall', { leads: true }), node('ns=2;s=t4'), node('ns=2;s=t5'), node('ns=2;s=t6')] // prettier-ignore
  const { box, asked, names } = await opened({ 'POST /api/racks/{rack}/browse': { says: '', names: found } })
  await press(box, 'look through its nodes')
  expect(asked.at(-1)!.body).toEqual({ below: '' })
  box.querySelectorAll<HTMLInputElement>('ol input')[1]!.focus()
  await settled()
  await press(box, 't4')
  expect(names()).toEqual(['ns=2;s=t1', 'ns=2;s=t4', 'ns=2;s=t5'])
  await press(box, 'hall ›')
  expect(asked.at(-1)!.body).toEqual({ below: 'ns=2;s=hall' })
  await press(box, 'put back')
  expect(names()).toEqual(['ns=2;s=t1', '', ''])
})

test('a rack that cannot be asked says why, and what was typed stays', async () => {
  const { box, names } = await opened({ 'POST /api/racks/{rack}/browse': { says: 'nothing answers at 10.0.0.7:4840', names: [] } }) // prettier-ignore
  await typed(box.querySelectorAll<HTMLInputElement>('ol input')[2]!, 'ns=2;s=t3')
  await press(box, 'look through its nodes')
  expect(box.querySelector('[role=alert]')!.textContent).toContain('nothing answers at 10.0.0.7:4840')
  expect(names()[2]).toBe('ns=2;s=t3')
})

test('who may not change hardware reads the names alone', async () => {
  const { box } = await opened({}, false)
  expect(button(box, 'look through its nodes')).toBeUndefined()
  expect(box.querySelector<HTMLInputElement>('ol input')!.readOnly).toBe(true)
})
