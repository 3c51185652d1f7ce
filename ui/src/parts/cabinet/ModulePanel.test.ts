import { afterEach, expect, test } from 'vitest'
import { button, cleared, mounted, plantOf, settled } from '../../testing/mounted'
import type { Operation } from '../../plant/useHardware'
import ModulePanel from './ModulePanel.vue'

afterEach(cleared)

const channel = (k: number, point: number, more = {}) => ({
  channel: k - 1, address: `KC-2·1·2·${k}`, register_at: `input register ${k}`, direct: `%IW1.${k}`,
  terminals: [String(2 * k - 1), String(2 * k)], point, wishes: [], wired: false, off: false, name: '', remark: '', ...more,
}) // prettier-ignore
const MODULE = {
  module: 7, place: 2, slot: 2, type: 'ai8-ui', title: 'AI-8 U/I', summary: '8 inputs', label: '', comment: '', direction: 'in', channel_class: 'AI',
  first_register: 1, first_setting: 50, heat_w: 2.1, loads: [],
  count: { channels: 3, used: 1, free: 1, spare: 0, wired: 1, wanted: 0, short: 0, share: 0 },
  channels: [channel(1, 11), channel(2, 0), channel(3, 0, { wired: true })],
} // prettier-ignore

async function opened(rights?: string[], rack = {}, module = {}) {
  const plant = plantOf(rights)
  plant.list.show([[11, 'service', 'burner gas']])
  const proposed: [string, Operation[]][] = []
  const box = await mounted(ModulePanel, {
    module: { ...MODULE, ...module },
    types: [],
    place: 1,
    rack: { rack: 1, by_name: false, link: 'Modbus TCP', ...rack },
    onPropose: (...one: [string, Operation[]]) => proposed.push(one),
  })
  await settled()
  const lines = [...box.querySelectorAll('.channels li')].map((l) =>
    l.textContent!.replace(/\s+/g, ' ').trim(),
  )
  return { plant, box, lines, proposed }
}

test('each channel stands there with its terminals and what comes in, in the order of the front', async () => {
  const { box, lines } = await opened()
  expect(lines[0]).toMatch(/^1 ?1 ?2 ?PT-3107/)
  expect(lines[0]).toContain('burner gas')
  expect(lines[1]).toContain('free')
  expect(lines[2]).toContain('wired spare')
  expect(box.querySelector('.channels a')!.getAttribute('href')).toBe('/point/11')
  expect(box.querySelectorAll('.terminals')[1]!.getAttribute('aria-label')).toBe('terminals 3, 4')
})

test('a free channel is made a wired spare, and one that is made none', async () => {
  const { box, proposed } = await opened()
  button(box, 'wired')!.click()
  button(box, 'not wired')!.click()
  expect(proposed.map(([, [operation]]) => operation)).toEqual([
    { do: 'wire', module: 7, channel: 1, wired: true },
    { do: 'wire', module: 7, channel: 2, wired: false },
  ])
})

test('a spare is switched off, and says so', async () => {
  const { box, proposed } = await opened()
  box.querySelectorAll<HTMLElement>('[aria-label^="switch"]')[0]!.click()
  expect(proposed.map(([, [operation]]) => operation)).toEqual([
    { do: 'switch spare', module: 7, channel: 1, off: true },
  ])
})

test('who may not change hardware is offered nothing to change', async () => {
  const { box } = await opened(['look', 'read', 'edit'])
  expect([button(box, 'wired'), button(box, 'take it out')]).toEqual([undefined, undefined])
})

test('what does not agree at a point is marked at its channel', async () => {
  const { plant, box } = await opened()
  const finding = { key: 'R07:11', rule: 'R07', station: 'VALUE', severity: 'bad', text: 'no', cells: [{ point: 11, field: 'service' }], fixes: [], harm: '', cause: null, trips: false, waived: null } // prettier-ignore
  plant.findings = new Map([['R07:11', finding]]) as never
  await settled()
  expect(box.querySelector('.channels .bad')!.textContent).toContain('■')
})
