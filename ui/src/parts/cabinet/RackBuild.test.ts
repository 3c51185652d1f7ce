import { afterEach, expect, test } from 'vitest'
import { button, cleared, mounted, plantOf, settled, typed } from '../../testing/mounted'
import type { Operation } from '../../plant/useHardware'
import RackBuild from './RackBuild.vue'

afterEach(cleared)

const TYPES = [
  { key: 'ai8', title: 'AI-8', summary: 'inputs', channels: 8 },
  { key: 'end', title: 'End', summary: 'of the bus', channels: 0 },
]

async function opened() {
  plantOf()
  const proposed: [string, Operation[]][] = []
  const box = await mounted(RackBuild, {
    rack: { rack: 3, modules: [{}, {}] },
    types: TYPES,
    onPropose: (...one: [string, Operation[]]) => proposed.push(one),
  })
  await settled()
  const lines = () => [...box.querySelectorAll('ol li')].map((li) => li.querySelector('.title')!.textContent!.trim()) // prettier-ignore
  return { box, proposed, lines }
}

async function choose(box: HTMLElement, title: string) {
  const input = box.querySelector<HTMLInputElement>('input[role=combobox]')!
  input.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }))
  await settled()
  const options = [...document.querySelectorAll<HTMLElement>('[role=option]')]
  options.find((o) => o.textContent!.trim().startsWith(title))!.click()
  await settled()
}

test('several modules are chosen, put in their order and go in as one change', async () => {
  const { box, proposed, lines } = await opened()
  await typed(box.querySelector<HTMLInputElement>('input[type=number]')!, '2')
  await choose(box, 'AI-8')
  await choose(box, 'End')
  expect(lines()).toEqual(['AI-8', 'AI-8', 'End'])
  expect(box.querySelector('ol li .quiet')!.textContent).toBe('3')
  box.querySelector<HTMLElement>('[aria-label="End further left"]')!.click()
  await settled()
  expect(lines()).toEqual(['AI-8', 'End', 'AI-8'])
  box.querySelector<HTMLElement>('[aria-label="leave AI-8 out"]')!.click()
  await settled()
  button(box, 'put 2 in, 8 channels')!.click()
  expect(proposed).toEqual([
    ['2 modules into the rack', [{ do: 'add module', rack: 3, type: 'end' }, { do: 'add module', rack: 3, type: 'ai8' }]],
  ]) // prettier-ignore
})

test('by keyboard a module is moved and left out', async () => {
  const { box, lines } = await opened()
  await choose(box, 'AI-8')
  await choose(box, 'End')
  const line = (i: number) => box.querySelectorAll<HTMLElement>('ol li')[i]!
  line(1).dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp', altKey: true, bubbles: true }))
  await settled()
  expect(lines()).toEqual(['End', 'AI-8'])
  line(0).dispatchEvent(new KeyboardEvent('keydown', { key: 'Delete', bubbles: true }))
  await settled()
  expect(lines()).toEqual(['AI-8'])
})
