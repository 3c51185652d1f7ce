import { afterEach, beforeEach, expect, test } from 'vitest'
import { usePlant } from '../plant/store'
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
import { useBar } from './bar'
import CommandPalette from './CommandPalette.vue'
import FirstSteps from './FirstSteps.vue'
import FrameBar from './FrameBar.vue'

beforeEach(() => localStorage.clear())
afterEach(cleared)

const PAGES = ['list', 'cabinets', 'types', 'cables', 'finder', 'live', 'alarms', 'temporary', 'scripts', 'learn', 'findings'].map((name) => ({ path: `/${name}`, name, component: { render: () => null } })) // prettier-ignore
const press = (key: string, more: object = {}) =>
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more }))

async function bar(at = '/live', before?: (plant: ReturnType<typeof usePlant>) => void) {
  const plant = plantOf()
  plant.linkUp = true
  before?.(plant)
  answering({})
  const box = await mounted(FrameBar, {}, { at, routes: PAGES })
  await settled()
  return { plant, box, bar: useBar() }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('the pages of a place are tabs, and the one that is open says so', async () => {
  const { box } = await bar('/alarms')
  const tabs = [...box.querySelectorAll<HTMLElement>('[role=tab]')]
  expect(tabs.map((tab) => tab.textContent!.trim())).toEqual([
    'board',
    'alarms',
    'temporary changes',
    'scripts',
    'learn',
  ])
  expect(tabs.map((tab) => tab.getAttribute('aria-current'))).toEqual([null, 'page', null, null, null])
  expect(tabs[1]!.getAttribute('href')).toBe('/alarms')
})

test('alarms that wait and changes that are open stand at their tabs', async () => {
  const { box, plant } = await bar('/live')
  plant.alarmCount = { all: 5, waiting: 3 } as never
  plant.temporary = [{ id: 1, kind: 'jumper', point: 11 }] as never
  await settled()
  const tabs = [...box.querySelectorAll('[role=tab]')].map((tab) => tab.textContent!.trim())
  expect(tabs.slice(1, 3)).toEqual(['alarms3', 'temporary changes1'])
})

test('a place of one page has its name and no tabs', async () => {
  const { box } = await bar('/findings')
  expect(box.querySelector('[role=tab]')).toBeNull()
  expect(box.querySelector('.title')!.textContent).toBe('findings')
})

test('/ reaches the find field from anywhere, and finds points, pages and cables', async () => {
  const { box, plant } = await bar()
  plant.list.show([[11, 'cable', 'W-101']])
  press('/')
  await settled()
  expect(document.activeElement).toBe(field(box, 'find'))
  await typed(field(box, 'find'), 'pt-31')
  await settled()
  const hits = () =>
    [...box.querySelectorAll<HTMLElement>('[role=option]')].map((hit) => hit.textContent!.trim())
  expect(hits()[0]).toContain('PT-3107')
  await typed(field(box, 'find'), 'w-101')
  await settled()
  expect(hits().join()).toContain('W-101')
  field(box, 'find').dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true }))
  await settled()
  expect(hits()).toEqual([])
})

test('the arrows and Enter go to what was found', async () => {
  const { box } = await bar()
  await typed(field(box, 'find'), 'zv-2')
  await settled()
  field(box, 'find').dispatchEvent(
    new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }),
  )
  await arrived('/point/12')
})

test('what is to be settled, held and waiting is said on every page', async () => {
  const { box, plant } = await bar('/findings')
  plant.linkUp = false
  plant.live.tick()
  await settled()
  expect(flat(box)).toContain('server lost, trying again')
  expect(flat(box)).not.toContain('typed cell')
})

test('a letter with Alt does what the page offers, wherever the hand is', async () => {
  const { box, bar: shared } = await bar()
  let done = 0
  shared.commands = [{ says: 'group', keys: 'Alt+G', run: () => done++ }]
  field(box, 'find').focus()
  field(box, 'find').dispatchEvent(
    new KeyboardEvent('keydown', { key: 'g', code: 'KeyG', altKey: true, bubbles: true }),
  )
  expect(done).toBe(1)
})

async function palette(rights?: string[]) {
  plantOf(rights)
  answering({})
  const box = await mounted(CommandPalette, {}, { at: '/live', routes: PAGES })
  const shared = useBar()
  shared.palette = true
  await settled()
  return { box, shared }
}
const offered = () =>
  [...document.querySelectorAll<HTMLElement>('[role=option]')].map((hit) => hit.textContent!.trim())

test('the palette holds what the page offers first, with its keys, then everywhere', async () => {
  const { shared } = await palette()
  shared.commands = [{ says: 'new points', keys: 'Alt+N', run: () => undefined }]
  await settled()
  expect(offered()[0]).toBe('new pointsAlt+N')
  expect(offered().join()).toContain('undo my last change')
  expect(offered().join()).toContain('module types')
})

test('a few letters are enough, and Enter goes there', async () => {
  const { shared } = await palette()
  const asked = document.querySelector<HTMLInputElement>('[aria-label="what to do, or where to go"]')!
  await typed(asked, 'mod ty')
  await settled()
  expect(offered()).toEqual(['module types'])
  asked.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }))
  await arrived('/types')
  expect(shared.palette).toBe(false)
})

test('who may only look is offered no undo', async () => {
  await palette(['look', 'read'])
  expect(offered().join()).not.toContain('undo')
})

test('the first steps are five, and left at once', async () => {
  plantOf()
  const box = await mounted(FirstSteps, {}, { at: '/list', routes: PAGES })
  expect(flat(box)).toContain('1 of 5')
  button(box, 'next')!.click()
  await arrived('/point/11')
  for (const at of ['/findings', '/cabinets', '/live']) {
    button(box, 'next')!.click()
    await arrived(at)
  }
  expect(flat(box)).toContain('5 of 5')
  button(box, 'done')!.click()
  await settled()
  expect(box.querySelector('.steps')).toBeNull()
  cleared()
  plantOf()
  const again = await mounted(FirstSteps, {}, { at: '/list', routes: PAGES })
  expect(again.querySelector('.steps'), 'once seen they do not come by themselves').toBeNull()
  useBar().tour++
  await settled()
  expect(flat(again)).toContain('1 of 5')
  expect(placeNow()).toBe('/list')
})
