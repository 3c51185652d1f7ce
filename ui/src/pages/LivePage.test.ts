import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { blockOf } from '../testing/blocks'
import {
  answering,
  arrived,
  button,
  cleared,
  field,
  mounted,
  plantOf,
  sent,
  settled,
  typed,
} from '../testing/mounted'
import LivePage from './LivePage.vue'

beforeEach(() => localStorage.clear())
afterEach(cleared)

const BOARDS = { boards: [{ name: 'kiln', points: [12], shared: true }] }

async function page(at = '/live', answers: Record<string, unknown> = {}, boards: object = BOARDS) {
  const plant = plantOf()
  plant.linkUp = true
  const asked = answering({
    'GET /api/boards': boards,
    'GET /api/trends': { begins: 0, ends: 1, trends: [] },
    ...answers,
  })
  const box = await mounted(
    { template: '<router-view />' },
    {},
    { at, routes: [{ path: '/live', component: LivePage }] },
  )
  await settled()
  return { plant, asked, box }
}
const cards = (box: HTMLElement) =>
  [...box.querySelectorAll<HTMLElement>('.cards > *')].map(
    (card) => /PT-3107|ZV-2/.exec(card.textContent!)?.[0],
  )
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('what is in trouble stands first, and a press puts the order of the list back', async () => {
  const { box, plant } = await page()
  plant.live.take(
    blockOf([
      { point: 11, value: 250, counts: 16_000 },
      { point: 12, value: 50, counts: 1, quality: 2 },
    ]),
  )
  await settled()
  expect(cards(box)).toEqual(['ZV-2', 'PT-3107'])
  expect(flat(box)).toContain('▲ 1 in trouble of 2')
  button(box, 'trouble first')!.click()
  await settled()
  expect(cards(box)).toEqual(['PT-3107', 'ZV-2'])
})

test('a board is its points, and what is found otherwise is kept as one', async () => {
  const { box, asked } = await page('/live?board=kiln', { 'PUT /api/boards/{name}': { boards: [] } })
  expect(cards(box)).toEqual(['ZV-2'])
  await typed(field(box, 'find points to watch'), 'pt-3107')
  await settled()
  expect(cards(box)).toEqual(['PT-3107'])
  await typed(field(box, 'name of the board'), 'gas')
  await sent(box)
  await settled()
  expect(asked.find((a) => a.way === 'PUT')!.body).toEqual({ points: [11], shared: false })
  await arrived('/live?board=gas')
})

test('a board that is dropped leaves its points on the list', async () => {
  const { box, plant } = await page('/live?board=kiln', { 'DELETE /api/boards/{name}': { boards: [] } })
  button(box, 'drop “kiln”')!.click()
  await settled()
  expect(plant.notice?.text).toContain('its points are still on the list')
  await arrived('/live')
})

test('one point is opened beside the board and shut by Esc', async () => {
  const { box } = await page('/live', {
    'GET /api/points/{point}/advice': { point: 11, faults: [], latched: false, band: '', lamp: '', shown: null, difference: null, load_ma: null, expected_ma: null },
  }) // prettier-ignore
  box.querySelector<HTMLElement>('.cards > *')!.click()
  await settled()
  expect(box.querySelector('.beside-it')).not.toBeNull()
  document.body.dispatchEvent(
    new KeyboardEvent('keydown', { key: 'Escape', bubbles: true, cancelable: true }),
  )
  await settled()
  expect(box.querySelector('.beside-it')).toBeNull()
})

test('racks that give no readings are told with why', async () => {
  vi.useFakeTimers({ now: 1_780_000_000_000 })
  const { box, plant } = await page()
  plant.live.take({ ...blockOf([{ point: 11 }]), state: 'no answer', says: 'nobody answers at 10.0.0.7' })
  await vi.advanceTimersByTimeAsync(6_000)
  plant.live.tick()
  await settled()
  expect(box.querySelector('.lost')!.textContent).toContain('nobody answers at 10.0.0.7')
})

test('nothing found says so, and a plant without channels says what to do', async () => {
  const { box } = await page()
  await typed(field(box, 'find points to watch'), 'nothing is called so')
  await settled()
  expect(flat(box)).toContain('nothing on the list is found by “nothing is called so”')
  cleared()
  const plant = plantOf()
  plant.list.load({ seq: 1, ids: [11], racks: [0], columns: { tag: ['PT-3107'] } })
  answering({ 'GET /api/boards': { boards: [] } })
  const empty = await mounted(LivePage)
  await settled()
  expect(flat(empty)).toContain('no point holds a channel yet')
})
