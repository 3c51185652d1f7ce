import { afterEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../../testing/mounted'
import RackPanel from './RackPanel.vue'

afterEach(cleared)

const RACK = { rack: 1, name: '1', host: '10.0.0.7', port: 502, unit: 1, period_ms: 1000, first_register: 0, function: 'input', link: 'Modbus TCP', line: '19200 8E1', by_name: false, path: '', security: 'none', username: '', trusted: '', quiet_s: 0, modules: [], stand_in: false, heat_w: 12.34, loads: [] } // prettier-ignore
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

test('what it runs beside the list is one step away', async () => {
  const { box } = await panel({})
  const link = [...box.querySelectorAll('a')].find((a) => a.textContent!.includes('what it runs beside the list'))! // prettier-ignore
  expect(link.getAttribute('href')).toBe('/running?rack=1')
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

test('a reader may look and does no more', async () => {
  const { box } = await panel({}, ['look', 'read'])
  expect(button(box, 'test the connection')).toBeUndefined()
  expect([...box.querySelectorAll('button, a')].map((b) => b.textContent?.trim())).toEqual([
    'what it runs beside the list',
  ])
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
