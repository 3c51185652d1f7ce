import { afterEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../../testing/mounted'
import RackPanel from './RackPanel.vue'

afterEach(cleared)

const RACK = { rack: 1, name: '1', host: '10.0.0.7', port: 502, unit: 1, period_ms: 1000, first_register: 0, function: 'input', link: 'Modbus TCP', line: '19200 8E1', by_name: false, path: '', security: 'none', username: '', trusted: '', quiet_s: 0, modules: [], stand_in: false, heat_w: 12.34, loads: [] } // prettier-ignore
const DIFFERS = { module: 1, slot: 1, channel: 0, address: 'KC-2 1 1 1', point: 11, tag: 'PT-3107', setting: 'filter', field: 'filter', listed: '50 Hz', reported: '60 Hz', key: 'holding registers 4.65535', where: 'holding register 4 (from 0)', restart: false, code: 3, trips: ['shuts the gas'] } // prettier-ignore
const OTHER = { ...DIFFERS, channel: 1, point: 12, tag: 'ZV-2', key: 'holding registers 5.65535', trips: [] }
const armed = (who = '') => ({ who, until: who ? new Date(Date.now() + 600_000).toISOString() : '' })
const compared = (differences: object[], who = '') => ({ says: '', armed: armed(who), differences })

async function panel(
  answers: Record<string, unknown>,
  rights?: string[],
  more: Record<string, unknown> = {},
) {
  const plant = plantOf(rights)
  const asked = answering({ 'GET /api/racks/{rack}/log': { lines: [] }, ...answers })
  const box = await mounted(RackPanel, { rack: RACK, types: [], ...more })
  await settled()
  return { box, asked, plant }
}

async function pressed(box: HTMLElement, text: string) {
  button(box, text)!.click()
  await settled()
}
const COMPARE = 'compare with what the rack reports'

test('what differs is told setting by setting, with what the points can trip', async () => {
  const { box } = await panel({ 'GET /api/racks/{rack}/compare': compared([DIFFERS, OTHER]) })
  await pressed(box, COMPARE)
  expect(box.textContent).toContain('2 settings differ')
  const lines = [...box.querySelectorAll('li')].map((li) => li.textContent!.replace(/\s+/g, ' ').trim())
  expect(lines[0]).toBe('PT-3107 filter: list 50 Hz, rack 60 HzKC-2 1 1 1')
  expect(box.querySelector('.trips')!.textContent).toContain('shuts the gas')
  box.querySelectorAll<HTMLInputElement>('li input')[0]!.click()
  await settled()
  expect(box.querySelector('.trips')).toBeNull()
})

test('a rack that agrees says so', async () => {
  const { box } = await panel({ 'GET /api/racks/{rack}/compare': compared([]) })
  await pressed(box, COMPARE)
  expect(box.querySelector('[role=status]')?.textContent?.trim()).toBe('list and rack agree in every setting')
})

test('nothing is written while writing is not armed', async () => {
  const { box, asked } = await panel({
    'GET /api/racks/{rack}/compare': compared([DIFFERS]),
    'PUT /api/racks/{rack}/armed': armed('ana'),
  })
  await pressed(box, COMPARE)
  expect(button(box, 'write 1 to the rack')!.disabled).toBe(true)
  await pressed(box, 'arm')
  expect(asked.at(-1)!.body).toEqual({ minutes: 15 })
  expect(button(box, 'write 1 to the rack')!.disabled).toBe(false)
  expect(box.textContent!.replace(/\s+/g, ' ')).toContain('armed by ana, 10 min left')
})

test('what was not written is told by its code, with its reason; what is left stays chosen', async () => {
  const result = {
    key: 'holding registers 4.65535',
    address: '',
    tag: 'PT-3107',
    setting: 'filter',
    value: '50 Hz',
  }
  const { box, asked } = await panel({
    'GET /api/racks/{rack}/compare': compared([DIFFERS, OTHER], 'ana'),
    'POST /api/racks/{rack}/write': {
      done: 1, failed: 1, left: [DIFFERS], after: ['apply'], restart: true,
      results: [{ ...result, done: false, says: 'the rack kept 2' }, { ...result, key: 'holding registers 5.65535', tag: 'ZV-2', done: true, says: 'done' }],
    },
  }) // prettier-ignore
  await pressed(box, COMPARE)
  await pressed(box, 'write 2 to the rack')
  expect(asked.find((a) => a.path.endsWith('/write'))!.body).toEqual({
    keys: ['holding registers 4.65535', 'holding registers 5.65535'],
  })
  expect(box.textContent!.replace(/\s+/g, ' ')).toContain('1 written, 1 not, then apply')
  expect([...box.querySelectorAll('[role=status] .bad')].map((p) => p.textContent!.trim())).toEqual([
    '■ PT-3107 filter: the rack kept 2',
  ])
  expect(button(box, 'write 1 to the rack')).toBeDefined()
})

test('a refusal says why and what to do', async () => {
  const { box } = await panel({ 'POST /api/racks/{rack}/test': 'nothing answers at 10.0.0.7:502' })
  await pressed(box, 'test the connection')
  expect(box.querySelector('[role=alert]')?.textContent).toBe('■ nothing answers at 10.0.0.7:502')
})

test('a test of the way says what it found and where to look', async () => {
  const { box } = await panel({ 'POST /api/racks/{rack}/test': { says: 'unit 3 does not answer', look: 'the unit number' } }) // prettier-ignore
  await pressed(box, 'test the connection')
  expect(box.querySelector('[role=status]')?.textContent).toBe(
    'unit 3 does not answer. look at: the unit number',
  )
})

test('another address is proposed and not set', async () => {
  const propose = vi.fn()
  const { box } = await panel({}, undefined, { onPropose: propose })
  await typed(field(box, 'network address'), '10.0.0.8')
  expect(propose).toHaveBeenCalledWith('network address: 10.0.0.7 → 10.0.0.8', [
    { do: 'change', what: 'rack', id: 1, field: 'host', was: '10.0.0.7', text: '10.0.0.8' },
  ])
})

test('a reader compares and does no more', async () => {
  const { box } = await panel({ 'GET /api/racks/{rack}/compare': compared([DIFFERS]) }, ['look', 'read'])
  await pressed(box, COMPARE)
  expect(button(box, 'test the connection')).toBeUndefined()
  expect([...box.querySelectorAll('button')].map((b) => b.textContent?.trim())).toEqual([COMPARE])
})

const proposals = () => {
  const told: { title: string; operations: Record<string, unknown>[] }[] = []
  const onPropose = (title: string, operations: Record<string, unknown>[]) => told.push({ title, operations })
  return { told, onPropose }
}
const choose = async (box: HTMLElement, which: string) => {
  field(box, 'reached by').dispatchEvent(new MouseEvent('mousedown', { bubbles: true }))
  await settled()
  const option = [...document.querySelectorAll<HTMLElement>('[role=option]')].find(
    (o) => o.textContent === which,
  )!
  option.click()
  await settled()
}

test('a gateway that carries serial frames is chosen at once; nothing else changes', async () => {
  const { told, onPropose } = proposals()
  const { box } = await panel({}, undefined, { onPropose })
  await choose(box, 'Modbus RTU over TCP')
  expect(told[0]!.operations).toEqual([
    {
      do: 'change',
      what: 'rack',
      id: 1,
      field: 'link',
      was: 'Modbus TCP',
      text: 'Modbus RTU over TCP',
      host: '',
    },
  ])
})

test('a serial port wants its name first, and says how its line works', async () => {
  const { told, onPropose } = proposals()
  const { box } = await panel({}, undefined, { onPropose })
  await choose(box, 'Modbus RTU')
  expect(told, 'not before the port is known').toEqual([])
  expect(box.textContent).toContain('which port of this machine')
  expect(box.textContent).toContain('bits a second, bits, parity, stop')
  await typed(field(box, 'serial port'), '/dev/ttyS1')
  expect(told.at(-1)!.operations[0]).toMatchObject({ field: 'link', text: 'Modbus RTU', host: '/dev/ttyS1' })
})
