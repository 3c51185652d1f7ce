import { afterEach, expect, test, vi } from 'vitest'
import { nextTick } from 'vue'
import type { Schemas } from '../api/client'
import { cleared, mounted, plantOf, settled } from '../testing/mounted'
import GridView from './GridView.vue'

const field = (name: string, kind: string, width = 80): Schemas['FieldOut'] => ({
  name, station: 'POINT', label: name, kind, says: name, width, choices: [], applies: [], listed: true, group: '', unit: '',
}) // prettier-ignore
const FIELDS = [
  field('tag', 'text'),
  field('service', 'text', 180),
  field('value_high', 'number'),
  field('checks', 'checks', 200),
]

afterEach(cleared)

/** Everything that is written on the canvas, in its order. */
function canvas() {
  const written: string[] = []
  const none = () => undefined
  const on = {
    font: '', fillStyle: '', strokeStyle: '', lineWidth: 1, globalAlpha: 1,
    measureText: (text: string) => ({ width: 6 * text.length }),
    fillText: (text: string) => written.push(text),
    fillRect: none, strokeRect: none, beginPath: none, moveTo: none, lineTo: none, stroke: none, save: none,
    restore: none, rect: none, clip: none, setLineDash: none, setTransform: none,
  } // prettier-ignore
  vi.spyOn(HTMLCanvasElement.prototype, 'getContext').mockReturnValue(on as never)
  return written
}

async function grid(props: Record<string, unknown> = {}) {
  const plant = plantOf()
  plant.list.show([[11, 'service', 'burner gas pressure'], [12, 'service', 'shut-off valve']]) // prettier-ignore
  const written = canvas()
  const box = await mounted(GridView, { rows: [0, 1], fields: FIELDS, active: null, ...props })
  await settled()
  return { plant, box, written }
}
const cell = (box: HTMLElement, point: number, name: string) =>
  box.querySelector<HTMLElement>(`#cell-${point}-${name}`)!
const finding = (severity: string, text: string, fieldName: string) => ({
  key: text, rule: 'R07', station: 'VALUE', severity, text, cells: [{ point: 11, field: fieldName }], fixes: [],
  harm: '', cause: null, trips: false, waived: null,
}) // prettier-ignore

test('what is drawn and what a reader meets say the same', async () => {
  const { box, written } = await grid()
  expect(written).toEqual(
    expect.arrayContaining(['PT-3107', 'burner gas pressure', '500', 'ZV-2', 'shut-off valve']),
  )
  expect([...box.querySelectorAll('.row')].map((row) => row.getAttribute('aria-rowindex'))).toEqual([
    '3',
    '4',
  ])
  expect(cell(box, 11, 'service').textContent).toBe('burner gas pressure')
  expect(cell(box, 11, 'service').getAttribute('role')).toBe('gridcell')
  expect(box.querySelector('[role=grid]')!.getAttribute('aria-activedescendant')).toBe('cell-11-tag')
})

test('a finding is marked in the cell it names, and told by its text with its mark', async () => {
  const { plant, box } = await grid()
  plant.findings = new Map([['a', finding('bad', 'the span is nothing', 'value_high')]]) as never
  await settled()
  expect(cell(box, 11, 'value_high').className).toContain('bad')
  expect(cell(box, 11, 'checks').textContent).toBe('■ the span is nothing')
  expect(cell(box, 11, 'tag').textContent).toBe('■PT-3107')
  expect(cell(box, 12, 'tag').textContent).toBe('ZV-2')
})

test('what waits in a cell stands there instead of what the list says', async () => {
  const { plant, box } = await grid()
  plant.waiting.set('11:service', { point: 11, field: 'service', was: '', text: 'gas, typed here', state: 'refused', says: 'too long' }) // prettier-ignore
  await settled()
  expect(cell(box, 11, 'service').textContent).toBe('gas, typed here')
  expect(cell(box, 11, 'service').className).toContain('refused')
  expect(cell(box, 11, 'service').dataset.tip).toBe('too long')
})

test('keys move the hand, and its cell is there for a reader at once', async () => {
  const { box } = await grid()
  const element = box.querySelector<HTMLElement>('[role=grid]')!
  for (const key of ['ArrowDown', 'ArrowRight']) {
    element.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))
    await nextTick()
  }
  expect(element.getAttribute('aria-activedescendant')).toBe('cell-12-service')
  expect(cell(box, 12, 'service').className).toContain('active')
  expect(box.querySelector('.row.here')!.getAttribute('aria-rowindex')).toBe('4')
})

test('typing opens the cell with what was typed, and Esc leaves it as it stood', async () => {
  const { box } = await grid()
  const element = box.querySelector<HTMLElement>('[role=grid]')!
  element.dispatchEvent(new KeyboardEvent('keydown', { key: 'x', bubbles: true, cancelable: true }))
  await settled()
  const input = box.querySelector<HTMLInputElement>('.editor input')!
  expect(input.value).toBe('x')
  input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true }))
  await settled()
  expect(box.querySelector('.editor')).toBeNull()
  expect(cell(box, 11, 'tag').textContent).toBe('PT-3107')
})

test('of fewer rows no element of before is left', async () => {
  const rows = [0, 1]
  const { box } = await grid({ rows })
  expect(box.querySelectorAll('.row').length).toBe(2)
  cleared()
  const again = await grid({ rows: [1] })
  expect([...again.box.querySelectorAll('.frozen')].map((e) => e.textContent?.trim())).toContain('ZV-2')
  expect(cell(again.box, 11, 'tag')).toBeNull()
})
