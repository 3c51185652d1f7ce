import { afterEach, expect, test } from 'vitest'
import { usePlant } from '../../plant/store'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../../testing/mounted'
import StripPanel from './StripPanel.vue'

afterEach(cleared)

const FIELDS = ['on_delay', 'off_delay', 'stretch', 'smoothing_s', 'on_at', 'bands'].map((name) => ({
  name, label: name.replace('_', ' '), says: '', unit: name === 'smoothing_s' ? 's' : 'ms', choices: [], station: 'VALUE', kind: 'text', listed: true,
})) // prettier-ignore
const STRIP = {
  times: [0, 1, 2], given: [0, 1, 0], state: [0, 1, 1], value: [0, 1, 0], band: [-1, -1, -1], bands: [], words: ['off', 'on'],
  chatters: [], done: [], waits: [], counted: [], low: 0, high: 1, period_s: 1,
} // prettier-ignore

async function strip(contact: boolean, answers: Record<string, unknown> = {}) {
  const plant = plantOf()
  plant.plant = { ...plant.plant!, fields: FIELDS } as never
  plant.list.show([[11, 'on_delay', '200'], [11, 'smoothing_s', '2']]) // prettier-ignore
  const asked = answering({
    'POST /api/points/{point}/strip': { ...STRIP, low: contact ? 0 : 0, high: contact ? 1 : 500 },
    ...answers,
  })
  const box = await mounted(StripPanel, { point: 11, contact })
  await settled()
  return { plant, asked, box }
}
const tried = (asked: { path: string; body: Record<string, unknown> }[]) =>
  asked.filter((one) => one.path.endsWith('/strip')).at(-1)!.body.cells
const handle = (box: HTMLElement, name: string) => box.querySelector(`[role=slider][aria-label="${name}"]`)!
const press = async (at: Element, key: string) => {
  at.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))
  await settled()
}

test('a delay is tried by its handle, ten milliseconds a press, and nothing is set by it', async () => {
  const { box, asked } = await strip(true)
  expect(handle(box, 'on delay').getAttribute('aria-valuenow')).toBe('200')
  await press(handle(box, 'on delay'), 'ArrowRight')
  await press(handle(box, 'on delay'), 'ArrowRight')
  expect(tried(asked)).toEqual({ on_delay: '220' })
  expect(usePlant().list.text('on_delay', 0)).toBe('200')
  button(box, 'as it is')!.click()
  await settled()
  expect(tried(asked)).toEqual({})
  expect(button(box, 'set these')!.disabled).toBe(true)
})

test('a delay does not go below nothing', async () => {
  const { box, asked } = await strip(true)
  await press(handle(box, 'off delay'), 'ArrowLeft')
  expect(tried(asked)).toEqual({ off_delay: '0' })
})

test('smoothing goes by a tenth of a second, and is set with what it was', async () => {
  const saved: unknown[] = []
  const { box, plant } = await strip(false)
  plant.save = ((edits: unknown) => (saved.push(edits), Promise.resolve(undefined))) as never
  await press(handle(box, 'smoothing s'), 'ArrowLeft')
  button(box, 'set these')!.click()
  await settled()
  expect(saved).toEqual([[{ point: 11, field: 'smoothing_s', was: '2', text: '1.9' }]])
  expect(plant.notice?.text).toContain('set from the next reading on')
  expect(button(box, 'set these')!.disabled).toBe(true)
})

test('what cannot be is told and not set', async () => {
  const { box } = await strip(true, {
    'POST /api/points/{point}/strip': (body: { cells: object }) =>
      'on_delay' in body.cells ? 'a delay is a number of ms' : STRIP,
  })
  await typed(field(box, 'on delay'), 'soon')
  await settled()
  expect(box.querySelector('.bad')!.textContent).toContain('a delay is a number of ms')
  expect(button(box, 'set these')!.disabled).toBe(true)
})

test('against its code the generated program is drawn and compared, moment by moment', async () => {
  const answer = {
    state: [0, 1, 1],
    band: [-1, -1, -1],
    value: [null, null, null],
    counted: [],
    lines: ['PT := X;'],
    refused: '',
  }
  const { box, asked } = await strip(true, { 'POST /api/points/{point}/tried-code': () => ({ ...answer }) })
  expect(asked.some((one) => one.path.endsWith('/tried-code'))).toBe(false)
  box.querySelector<HTMLInputElement>('input[type=checkbox]')!.click()
  await settled()
  await settled()
  expect(box.textContent).toContain('✓ the generated code does the same')
  expect(box.querySelector('path.code')).not.toBeNull()
  expect(box.querySelector('pre')!.textContent).toBe('PT := X;')
  answer.state = [0, 0, 1]
  await press(handle(box, 'on delay'), 'ArrowRight')
  await settled()
  expect(box.textContent).toContain(
    '▲ the generated code goes another way at 1 of 3 moments, first at 1.00 s',
  )
})
