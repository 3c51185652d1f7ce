import { afterEach, expect, test } from 'vitest'
import { answering, cleared, field, mounted, plantOf, settled, typed } from '../../testing/mounted'
import type { Operation } from '../../plant/useHardware'
import RackAccess from './RackAccess.vue'

afterEach(cleared)

const RACK = { rack: 4, name: 'net', host: '10.0.0.7', port: 4840, unit: 1, period_ms: 1000, first_register: 0, function: 'input', link: 'OPC UA', line: '19200 8E1', by_name: true, path: '/press', security: 'none', username: '', trusted: '', quiet_s: 0, modules: [], stand_in: false } // prettier-ignore

async function opened(more = {}, rights?: string[], kept = false) {
  plantOf(rights)
  const asked = answering({
    'GET /api/racks/{rack}/password': { kept },
    'PUT /api/racks/{rack}/password': { kept: true },
  })
  const proposed: [string, Operation[]][] = []
  const said: string[] = []
  const box = await mounted(RackAccess, {
    rack: { ...RACK, ...more },
    onPropose: (...one: [string, Operation[]]) => proposed.push(one),
    onSays: (words: string) => said.push(words),
  })
  await settled()
  const labels = [...box.querySelectorAll('label')].map((l) => l.firstChild!.textContent!.trim())
  return { box, asked, proposed, said, labels }
}

async function choose(box: HTMLElement, name: string, title: string) {
  const input = box.querySelector<HTMLInputElement>(`input[aria-label="${name}"]`)!
  input.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }))
  await settled()
  const options = [...document.querySelectorAll<HTMLElement>('[role=option]')]
  options.find((o) => o.textContent!.trim() === title)!.click()
  await settled()
}

test('a rack by name is asked for no register, and one with registers for no path', async () => {
  const named = await opened()
  expect(named.labels).toContain('path of its endpoint')
  expect(named.labels).toContain('protected by')
  expect(named.labels).not.toContain('first register')
  expect(named.labels).not.toContain('unit number')
  cleared()
  const plain = await opened({ link: 'Modbus TCP', by_name: false, port: 502 })
  expect(plain.labels).toContain('first register')
  expect(plain.labels).not.toContain('path of its endpoint')
  expect(plain.labels).not.toContain('password')
  cleared()
  const broker = await opened({ link: 'MQTT', port: 1883 })
  expect(broker.labels).toContain('a topic is too old after, s (0: never)')
  expect(broker.labels).toContain('topics to listen for, when one looks')
})

test('how it is protected is proposed as a change, with what stood there', async () => {
  const { box, proposed } = await opened()
  await choose(box, 'protected by', 'Basic256Sha256, encrypted')
  expect(proposed).toEqual([
    [
      'protected by Basic256Sha256, encrypted',
      [{ do: 'change', what: 'rack', id: 4, field: 'security', was: 'none', text: 'Basic256Sha256, encrypted' }],
    ],
  ]) // prettier-ignore
})

test('a password is kept, and never shown again', async () => {
  const { box, asked, said, labels } = await opened({}, undefined, true)
  expect(labels).toContain('another password')
  const input = [...box.querySelectorAll('input')].find((i) => i.type === 'password')!
  expect(input.placeholder).toBe('one is kept')
  await typed(input, 'red clay')
  await settled()
  expect(asked.at(-1)!.body).toEqual({ password: 'red clay' })
  expect([input.value, said]).toEqual(['', ['the password is kept']])
})

test('the way that it is reached changes at once where the address may stay', async () => {
  const { box, proposed } = await opened()
  await choose(box, 'reached by', 'MQTT')
  expect(proposed[0]![1]).toEqual([{ do: 'change', what: 'rack', id: 4, field: 'link', was: 'OPC UA', text: 'MQTT', host: '' }]) // prettier-ignore
  await typed(field(box, 'network address'), '10.0.0.8')
  expect(proposed[1]![1][0]).toMatchObject({ field: 'host', was: '10.0.0.7', text: '10.0.0.8' })
})
