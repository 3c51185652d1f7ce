import { afterEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, mounted, plantOf, settled, typed } from '../testing/mounted'
import RunningPage from './RunningPage.vue'

afterEach(cleared)

const RACK = {
  rack: 1,
  name: '1',
  cabinet: 'KC-2',
  title: 'kiln 2',
  reports: true,
  at: '',
  who: '',
  seq: 0,
  says: '',
  open: 0,
  missing: 0,
}
const parameter = (key: string, more: object) => ({
  entity: 'point', entity_id: 11, tag: 'PT-3107', address: 'KC-2·1·2·1', setting: 'filter', field: 'filter', configured: '100 ms', issued: '50 Hz',
  running: '50 Hz', takes: [{ field: 'filter', text: '50 Hz' }], number: false, stands: 'waits for the rack', apart: 'configured', writes: true, edited_by: 'ana', edited_at: '2026-11-30T10:00:00Z', key,
  where: 'holding register 12', restart: false, trips: [], kept: 0, ...more,
}) // prettier-ignore
const TURNED = parameter('b', {
  entity_id: 12, tag: 'TE-2101', setting: 'mode', field: 'mode', configured: 'TC K', issued: 'TC K', running: 'TC T', takes: [{ field: 'mode', text: 'TC T' }],
  stands: 'turned in the rack', apart: 'running', edited_by: '', trips: ['it shuts the gas'],
}) // prettier-ignore
const ODD = parameter('c', { running: 'number 4711', takes: [], stands: 'all three apart', apart: '' })

async function opened(
  parameters: object[],
  more: {
    rights?: string[]
    kept?: object[]
    armed?: string
    missing?: string[]
    themselves?: object[]
  } = {},
) {
  const plant = plantOf(more.rights)
  plant.save = vi.fn(async () => undefined)
  const asked = answering({
    'GET /api/running': {
      seq: 4,
      issued: 'B',
      racks: [RACK, { ...RACK, rack: 2, name: '2', reports: false }],
      kept: [],
    },
    'POST /api/running/{rack}': {
      rack: 1,
      seq: 4,
      issued: 'B',
      says: '',
      missing: more.missing ?? [],
      parameters,
      kept: more.kept ?? [],
      themselves: more.themselves ?? [],
      armed: { who: more.armed ?? '', until: '' },
    },
    'POST /api/hardware': { seq: 5 },
    'POST /api/racks/{rack}/write': {
      done: 1,
      failed: 0,
      results: [],
      restart: true,
      left: [],
      after: ['apply', 'store'],
    },
    'POST /api/running/{rack}/numbers': {
      done: 0,
      failed: 1,
      results: [{ key: 'd', tag: 'PT-3107', setting: 'limit HH', done: false, says: 'kept another number' }],
    },
    'PUT /api/racks/{rack}/armed': { who: 'ana', until: '2026-12-01T12:00:00Z' },
    'POST /api/running/keep': { seq: 4, issued: 'B', racks: [RACK], kept: [] },
  })
  const box = await mounted(RunningPage, {}, { at: '/running?rack=1' })
  await settled()
  return {
    plant,
    box,
    asked,
    sent: (way: string, path: string) => asked.filter((a) => a.way === way && a.path === path),
  }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('three columns, the one that is apart marked, with who edited it', async () => {
  const { box } = await opened([parameter('a', {}), TURNED])
  const rows = [...box.querySelectorAll('tbody tr')].map((r) =>
    [...r.querySelectorAll('td')].map((c) => c.textContent!.replace(/\s+/g, ' ').trim()),
  )
  expect(rows[0]!.slice(3, 6)).toEqual(['100 ms', '50 Hz', '50 Hz'])
  expect(rows[0]![6]).toContain('waits for the rack edited by ana')
  expect(rows[1]!.slice(3, 6)).toEqual(['TC K', 'TC K', 'TC T'])
  expect([...box.querySelectorAll('td.apart')].map((c) => c.textContent)).toEqual(['100 ms', 'TC T'])
  expect(flat(box)).toContain('held against issue B')
  expect(flat(box)).toContain('TE-2101 it shuts the gas')
  expect(box.querySelectorAll<HTMLButtonElement>('.rack')[1]!.disabled).toBe(true)
})

test('what is adopted is typed into the list, and what has no name is not offered', async () => {
  const { box, plant } = await opened([TURNED, ODD])
  button(box, 'adopt the rack’s 1')!.click()
  await settled()
  expect(plant.save).toHaveBeenCalledWith(
    [{ point: 12, field: 'mode', was: '', text: 'TC T' }],
    'adopted from the rack',
  )
})

test('what was adopted is undone by the key that the page names', async () => {
  const { plant, asked } = await opened([TURNED])
  plant.turnBack = vi.fn(async () => undefined) as never
  const before = asked.filter((a) => a.path === '/api/running/{rack}').length
  window.dispatchEvent(new KeyboardEvent('keydown', { key: 'z', ctrlKey: true, bubbles: true }))
  await settled()
  expect(plant.turnBack).toHaveBeenCalledWith('undo')
  expect(asked.filter((a) => a.path === '/api/running/{rack}').length).toBe(before + 1)
})

test('nothing is written before somebody armed it', async () => {
  const { box, sent } = await opened([TURNED])
  expect(button(box, 'write the list’s 1')!.disabled).toBe(true)
  button(box, 'arm for 15 min')!.click()
  await settled()
  button(box, 'write the list’s 1')!.click()
  await settled()
  expect(sent('POST', '/api/racks/{rack}/write')[0]!.body).toEqual({ keys: ['b'] })
  expect(flat(box)).toContain(
    '1 written and read back, then apply, store; some of it acts only when the module has been switched off',
  )
})

test('settings go to the modules and numbers to the controller, and both are told together', async () => {
  const limit = parameter('d', {
    setting: 'limit HH',
    field: 'alarm_hh',
    number: true,
    configured: '8 bar',
    running: '7 bar',
  })
  const { box, sent } = await opened([TURNED, limit, parameter('e', { number: true, configured: '' })], {
    armed: 'ana',
  })
  button(box, 'write the list’s 2')!.click()
  await settled()
  expect(sent('POST', '/api/racks/{rack}/write')[0]!.body).toEqual({ keys: ['b'] })
  expect(sent('POST', '/api/running/{rack}/numbers')[0]!.body).toEqual({ keys: ['d'] })
  expect(flat(box)).toContain(
    '1 written and read back, 1 not: PT-3107 kept another number, then apply, store; some of it acts',
  )
})

test('what could not be read is told, and a rack is not clean for that', async () => {
  const { box } = await opened([], { missing: ['PT-3107 pair of counts: no such register'] })
  expect(flat(box)).toContain('not read: PT-3107 pair of counts: no such register')
  expect(flat(box)).not.toContain('Clean.')
})

test('one is kept with a reason and a day', async () => {
  const { box, sent } = await opened([TURNED])
  button(box, 'keep 1 as they are…')!.click()
  await settled()
  await typed(box.querySelector<HTMLInputElement>('[aria-label="why it stays"]')!, 'a T is in until May')
  await settled()
  box.querySelector('form')!.dispatchEvent(new Event('submit', { cancelable: true }))
  await settled()
  expect(sent('POST', '/api/running/keep')[0]!.body).toEqual({
    items: [{ entity: 'point', entity_id: 12, field: 'mode', running: 'TC T' }],
    reason: 'a T is in until May',
    until: '',
  })
})

test('a rack with nothing open is clean, and what is kept stands below with its reason', async () => {
  const kept = {
    id: 5,
    at: '',
    entity: 'point',
    entity_id: 12,
    field: 'mode',
    running: 'TC T',
    reason: 'a T is in',
    who: 'ana',
    until: '2027-05-01',
    over: false,
  }
  const { box } = await opened([{ ...TURNED, kept: 5 }], { kept: [kept] })
  expect(flat(box)).toContain('Clean.')
  expect(flat(box)).toContain('1 kept apart with a reason')
  expect(flat(box)).toContain('a T is in ana, until 2027-05-01')
  expect(button(box, 'open it again')).toBeTruthy()
})

test('who may only look is offered nothing', async () => {
  const { box } = await opened([TURNED], { rights: ['look', 'read'] })
  expect(button(box, 'look at all racks')).toBeUndefined()
  expect(box.querySelector<HTMLButtonElement>('.rack')!.disabled).toBe(true)
})

const HEAD = {
  entity: 'rack', entity_id: 1, name: 'rack 1', where: 'KC-2', field: 'head', noted: '', issued: '', says: 'Rote Wand RK-2, 1.4', oldest: '', at: 'its own word', to_note: true,
} // prettier-ignore
const MODULE = {
  ...HEAD, entity: 'module', entity_id: 7, name: 'AI-8', where: 'KC-2·1·2', field: 'firmware', noted: '2.3', says: '2.1', oldest: '2.2', to_note: false,
} // prettier-ignore
const OLDER = parameter('module 7 firmware', {
  entity: 'module', entity_id: 7, tag: 'AI-8', address: 'KC-2·1·2', setting: 'firmware', field: 'firmware', configured: '2.3', issued: '2.3', running: '2.1',
  takes: [{ field: 'firmware', text: '2.1' }], stands: 'older than its type needs', apart: 'running', writes: false, edited_by: '',
}) // prettier-ignore

test('what a head says of itself is noted, and nothing else is', async () => {
  const { box, sent } = await opened([], { themselves: [MODULE, HEAD] })
  expect(flat(box)).toContain('1 not noted yet')
  expect([...box.querySelectorAll('.themselves dt')].map((e) => e.textContent!.trim())).toEqual([
    'rack 1 KC-2',
    'AI-8 KC-2·1·2',
  ])
  expect(flat(box)).toContain('2.1noted: 2.3; its type needs 2.2 or newer')
  button(box, 'note it')!.click()
  await settled()
  expect(sent('POST', '/api/hardware')[0]!.body).toEqual({
    operations: [{ do: 'change', what: 'rack', id: 1, field: 'head', was: '', text: 'Rote Wand RK-2, 1.4' }],
    why: 'noted as the rack says',
    apply: true,
  })
  expect(flat(box)).toContain('1 noted: another one will be told')
})

test('a firmware is adopted as what the module is to have; nobody can write it', async () => {
  const { box, sent, plant } = await opened([OLDER], { themselves: [MODULE], armed: 'ana' })
  expect(button(box, 'write the list’s 0')!.disabled).toBe(true)
  expect(flat(box)).toContain('nobody writes it: change the part, adopt it, or keep it')
  expect(box.querySelector('tbody a')!.getAttribute('href')).toBe('/cabinets?cabinet=KC-2&module=7')
  button(box, 'adopt the rack’s 1')!.click()
  await settled()
  expect(plant.save).not.toHaveBeenCalled()
  expect(sent('POST', '/api/hardware')[0]!.body).toMatchObject({
    operations: [{ do: 'call', module: 7, firmware: '2.1' }],
  })
})
