import { afterEach, expect, test } from 'vitest'
import {
  answering,
  arrived,
  button,
  cleared,
  field,
  mounted,
  placeNow,
  plantOf,
  settled,
  typed,
} from '../testing/mounted'
import CabinetsPage from './CabinetsPage.vue'

afterEach(cleared)

const COUNT = { channels: 2, free: 1, share: 0.5, short: 0, spare: 0, used: 1, wanted: 0, wired: 1 }
const channel = (number: number, point = 0) => ({
  channel: number, point, address: `KC-2·1·1·${number}`, terminals: ['1', '2'], register_at: `word ${number}`, direct: `%IW${number}`, wired: point > 0, wishes: [],
}) // prettier-ignore
const MODULE = {
  module: 5, slot: 1, place: 1, type: 'ai-4', title: 'AI 4', direction: 'in', channel_class: 'AI', channels: [channel(1, 11), channel(2)], count: COUNT,
  first_register: 0, first_setting: 0, heat_w: 1, loads: [], summary: '',
} // prettier-ignore
const RACK = {
  rack: 1, name: '1', modules: [MODULE], address: '10.0.0.7:502', unit: 1, host: '10.0.0.7', port: 502, period_ms: 1000, first_register: 0,
  function: 'input', link: 'Modbus TCP', line: '19200 8E1', stand_in: true, loads: [], departs: '', heat_w: 3,
} // prettier-ignore
const NAMES = [
  { cabinet: 1, name: 'KC-2', title: 'kiln', unused: 1, channels: 2 },
  { cabinet: 2, name: 'KC-3', title: 'dryer', unused: 0, channels: 0 },
]
const CABINET = { cabinet: 1, name: 'KC-2', title: 'kiln', racks: [RACK], classes: [], count: COUNT, heat_w: 3, spare_wanted: 20 } // prettier-ignore
const CABINETS = { names: NAMES, cabinets: [CABINET], waiting: [12], waiting_count: 1 }
const WOULD = {
  renumbered: [],
  renumbered_count: 0,
  freed: [],
  moved: [],
  moved_count: 0,
  opened: [],
  closed: 0,
}
const FIT = { module: 5, fits: true, mode: '4–20 mA', reads: '250 mbar', margin: '', supply: '', reasons: [] }

async function page(at = '/cabinets', answers: Record<string, unknown> = {}, rights?: string[]) {
  const plant = plantOf(rights)
  const asked = answering({
    'GET /api/cabinets': CABINETS,
    'GET /api/module-types': { types: [] },
    'GET /api/points/{point}/fits/{rack}': { fits: [FIT] },
    'POST /api/hardware': WOULD,
    ...answers,
  })
  const box = await mounted(
    { template: '<router-view />' },
    {},
    { at, routes: [{ path: '/cabinets', component: CabinetsPage }] },
  )
  await settled()
  return { plant, asked, box }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('points that wait for a channel stand at the left, and one is held', async () => {
  const { box, asked } = await page()
  expect(flat(box)).toContain('waiting for a channel (1)')
  const card = [...box.querySelectorAll<HTMLElement>('.card')].find((one) =>
    one.textContent!.includes('ZV-2'),
  )!
  card.click()
  await arrived('/cabinets?hold=12')
  await settled()
  expect(flat(box)).toContain('holding ZV-2')
  expect(asked.some((one) => one.path === '/api/points/{point}/fits/{rack}')).toBe(true)
  button(box, 'put it down')!.click()
  await arrived('/cabinets')
})

test('another cabinet is looked at, made, and is what one sees next', async () => {
  let cabinets: object = CABINETS
  const { box, asked } = await page('/cabinets', { 'GET /api/cabinets': () => cabinets })
  await typed(field(box, 'name of another cabinet'), ' KC-4 ')
  button(box, 'add')!
    .closest('form')!
    .dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))
  await settled()
  expect(asked.at(-1)!.body).toMatchObject({
    apply: false,
    operations: [{ do: 'add cabinet', name: 'KC-4' }],
  })
  cabinets = {
    ...CABINETS,
    names: [...NAMES, { cabinet: 3, name: 'KC-4', title: '', unused: 0, channels: 0 }],
  }
  button(box, 'accept')!.click()
  await arrived('/cabinets?cabinet=KC-4')
})

test('a change that is put back leaves everything, also by Esc', async () => {
  const { box, asked } = await page()
  await typed(field(box, 'name of another cabinet'), 'KC-4')
  button(box, 'add')!
    .closest('form')!
    .dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))
  await settled()
  expect(button(box, 'accept')).toBeDefined()
  document.body.dispatchEvent(
    new KeyboardEvent('keydown', { key: 'Escape', bubbles: true, cancelable: true }),
  )
  await settled()
  expect(button(box, 'accept')).toBeUndefined()
  expect(asked.filter((one) => one.body.apply === true)).toEqual([])
})

test('a reader holds nothing and adds nothing', async () => {
  const { box, plant } = await page('/cabinets', {}, ['look', 'read'])
  box.querySelector<HTMLElement>('.card')!.click()
  await settled()
  expect(plant.notice?.text).toBe('a reader may look, not change')
  expect(placeNow()).toBe('/cabinets')
  expect(button(box, 'add')).toBeUndefined()
})

test('a plant without a cabinet says what comes first, and what could not be read is told', async () => {
  const empty = await page('/cabinets', {
    'GET /api/cabinets': { names: [], cabinets: [], waiting: [], waiting_count: 0 },
  })
  expect(flat(empty.box)).toContain('no cabinet yet: name one above')
  cleared()
  const { box } = await page('/cabinets', { 'GET /api/cabinets': 'the database is away' })
  expect(flat(box)).toContain('■ the database is away')
})

test('a rack that is chosen stands beside with its settings', async () => {
  const { box } = await page('/cabinets?rack=1', { 'GET /api/racks/{rack}/log': { lines: [] } })
  expect(flat(box)).toContain('what it runs beside the list')
  button(box, '← the cabinet')!.click()
  await arrived('/cabinets')
})

test('names that were typed outlive a look at what they would change, and what was put back shows what is kept', async () => {
  const named = { ...MODULE, label: '', comment: '', channels: MODULE.channels.map((c) => ({ ...c, name: '', remark: '' })) } // prettier-ignore
  const rack = { ...RACK, link: 'OPC UA', by_name: true, modules: [named] }
  const cabinets = { ...CABINETS, cabinets: [{ ...CABINET, racks: [rack] }] }
  const { box } = await page('/cabinets?module=5', { 'GET /api/cabinets': cabinets })
  const names = () => [...box.querySelectorAll<HTMLInputElement>('.at-rack ol input')]
  await typed(names()[0]!, 'ns=2;s=t1')
  await typed(field(box, 'what you call it'), 'burners')
  await settled()
  expect(flat(box)).toContain('AI 4: what you call it')
  button(box, 'put it back')!.click()
  await settled()
  expect(names()[0]!.value).toBe('ns=2;s=t1')
  expect(field(box, 'what you call it').value).toBe('')
})
