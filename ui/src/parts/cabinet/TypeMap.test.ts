import { afterEach, expect, test, vi } from 'vitest'
import { reactive } from 'vue'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../../testing/mounted'
import ManualPaste from './ManualPaste.vue'
import TypeMap from './TypeMap.vue'
import TypeTry from './TypeTry.vue'
import TypeSketch from './TypeSketch.vue'
import { blankType, mended, registersFor, takenIn, tidied, type TypeBody } from './typeBody'
import { countOf, FORMS, formAt } from './typeMap'

afterEach(cleared)

async function map(change: Partial<TypeBody> = {}) {
  plantOf()
  const body = reactive<TypeBody>({ ...blankType(), numbering: "with the table's digit", ...change })
  const box = await mounted(TypeMap, { modelValue: body })
  return { body, box }
}

test('a place is typed as the manual has it, and its leading digit says the table', async () => {
  const { body, box } = await map()
  await typed(field(box, 'first place of run 1'), '40101')
  expect(body.registers[0]).toMatchObject({ at: 100, table: 'holding registers' })
  await typed(field(box, 'step of run 1, from one channel to the next'), '2')
  // Four channels, two places from one to the next: the last begins six behind the first.
  expect(body.registers[0]!.count).toBe(7)
})

test('a place that cannot be read stays as it was typed, and says why', async () => {
  const { body, box } = await map()
  await typed(field(box, 'first place of run 1'), '20001')
  expect(body.registers[0]!.at ?? null).toBeNull()
  expect(box.textContent).toContain('a digit for the table')
  expect((field(box, 'first place of run 1') as HTMLInputElement).value).toBe('20001')
})

test('a status word is added, its bits told, and what resets it', async () => {
  const { body, box } = await map()
  const labelled = (words: string) => box.querySelector<HTMLButtonElement>(`button[aria-label="${words}"]`)!
  button(box, 'a status word')!.click()
  await settled()
  await typed(field(box, 'place of status word 1'), '30002')
  button(box, 'another bit')!.click()
  await settled()
  expect(body.status_words![0]).toMatchObject({ at: 1, table: 'input registers' })
  expect(body.status_words![0]!.bits.map((bit) => bit.bit)).toEqual([0, 1])
  await typed(field(box, 'bit 1 in words'), 'wire break')
  expect(body.status_words![0]!.bits[1]!.says).toBe('wire break')
  labelled('bit 0 away').click()
  await settled()
  expect(body.status_words![0]!.bits).toHaveLength(1)
  expect(labelled('bit 1 away').disabled, 'a word without bits says nothing').toBe(true)
})

test('some channels are served by one run and the rest by another', async () => {
  const { body, box } = await map({ channels: 6 })
  await typed(field(box, 'how many channels run 1 serves'), '2')
  expect(body.registers[0]!.of).toEqual({ first: 0, count: 2 })
  await typed(field(box, 'how many channels run 1 serves'), '6')
  expect(body.registers[0]!.of, 'all of them is nothing to say').toBeNull()
})

test.each([
  [{ holds: 'channel words', count: 1, step: 10, form: { kind: 'float', bits: 32 } }, 4, 32],
  [{ holds: 'channel bits', count: 1 }, 20, 2],
  [{ holds: 'channel bits', count: 1, table: 'coils' as const }, 20, 20],
  [{ holds: 'channel words', count: 1, of: { first: 2, count: 3 } }, 8, 3],
  [{ holds: 'module registers', count: 5 }, 8, 5],
])('how many places %o needs for %i channels', (run, channels, count) => {
  expect(countOf(run, channels, null)).toBe(count)
})

test('forms are known by what they are, and one without words here is not', () => {
  expect(FORMS[formAt({ bits: 32, coding: 'unsigned', order: 'ABCD' })]!.title).toBe('32 bit unsigned')
  expect(formAt({ used_bits: 13 })).toBe(-1)
  expect(formAt(null)).toBe(0)
})

test('a map that somebody laid out is not counted out anew when the channels change', () => {
  const body = {
    ...blankType(),
    registers: [{ holds: 'channel words', count: 7, at: 20, step: 2 }],
    channels: 5,
  }
  expect(registersFor(body)).toEqual([{ holds: 'channel words', count: 9, at: 20, step: 2 }])
})

test('a setting that is a figure goes through the form as it came', () => {
  const frequency = { of: 'PWM frequency', codes: {}, per_unit: 10, least: 0.1, most: 100, usual: 1 }
  expect(tidied({ ...blankType(), settings: [frequency] }).settings).toEqual([frequency])
})

const FOUND = {
  parts: {
    channels: 2,
    registers: [{ holds: 'channel words', count: 3, step: 2, at: 0, table: 'input registers' }],
    status_words: [{ table: 'input registers', at: 1, step: 2, bits: [{ bit: 0, means: 'fault' }] }],
  },
  guesses: ['“Channel 1” is channel words, channels 1 to 2'],
  troubles: [{ line: 4, text: '3000X', says: 'no place' }],
  codes: {},
}

test('a pasted table is read as it is typed, told, and taken in; what was guessed waits', async () => {
  plantOf()
  const asked = answering({ 'POST /api/module-types/manual': FOUND })
  let body: TypeBody = blankType()
  const box = await mounted(ManualPaste, {
    modelValue: body,
    'onUpdate:modelValue': (now: TypeBody) => (body = now),
  })
  const area = box.querySelector('textarea:not([aria-hidden])') as HTMLTextAreaElement
  await typed(area as never, '30001\tChannel 1')
  // Not with every key.
  await vi.waitFor(() => expect(asked).toHaveLength(1), { timeout: 60_000 })
  await settled()
  expect(asked.at(-1)!.body).toMatchObject({
    what: 'registers',
    table: 'input registers',
    numbering: 'from 0',
  })
  expect(box.textContent).toContain('1 run, 1 status word')
  expect(box.textContent).toContain('line 4 is left out: no place')
  button(box, 'take it in')!.click()
  await settled()
  expect(body.channels).toBe(2)
  expect(body.registers).toEqual(FOUND.parts.registers)
  expect(body.unconfirmed).toEqual(FOUND.guesses)
  expect(area.value).toBe('')
})

test('bits that come before or after their word find it, and codes choose the modes', () => {
  const bits = [{ bit: 3, means: 'open circuit' }]
  const first = takenIn(blankType(), 'bits', { parts: { bits }, guesses: [], codes: {} })
  const then = takenIn(first, 'registers', FOUND)
  expect(then.status_words![0]).toMatchObject({ at: 1, step: 2, bits })
  const modes = takenIn(then, 'modes', { parts: { modes: [] }, guesses: [], codes: { Pt100: 3 } })
  expect(modes.settings).toEqual([{ of: 'mode', codes: { Pt100: 3 } }])
})

test('the map stands beside the form in the manual’s own style', async () => {
  plantOf()
  const line = {
    table: 'input registers',
    place: '30001',
    also: '0 from 0',
    count: 1,
    bit: -1,
    channel: 0,
    says: 'number',
  }
  const preview = { says: '', terminals: [], modes: [], registers: 4, settings: 0, map: [line, { ...line, place: '30002', bit: 3, says: 'open circuit' }] } // prettier-ignore
  const box = await mounted(TypeSketch, { preview, title: 'QUAD' })
  expect(box.querySelector('.places')!.textContent).toContain('30001channel 1number')
  expect(box.querySelector('.places')!.textContent).toContain('30002.3')
})

const TRIED = {
  says: '',
  right: 1,
  of: 2,
  lines: [
    { table: 'input registers', place: '30001', bit: -1, channel: 0, says: 'number', raw: '00EB', means: '235, 23.5 °C', state: '' },
    { table: 'input registers', place: '30002', bit: -1, channel: 1, says: 'number', raw: '8080', means: '-32640', state: 'settle' },
  ],
  doubts: [{ says: 'the map begins one place later', run: 0, word: -1, bit: -1, changes: { at: 1 } }],
} // prettier-ignore

test('a type is tried on a device, and what looks wrong is mended with one click and tried again', async () => {
  localStorage.clear()
  plantOf()
  const asked = answering({ 'POST /api/module-types/try': TRIED })
  let body: TypeBody = blankType()
  const box = await mounted(TypeTry, {
    modelValue: body,
    'onUpdate:modelValue': (now: TypeBody) => (body = now),
  })
  expect(button(box, 'try it')!.disabled, 'nobody said where').toBe(true)
  await typed(field(box, 'address'), '10.0.0.9')
  await typed(field(box, 'unit'), '7')
  button(box, 'try it')!.click()
  await settled()
  expect(asked[0]!.body).toMatchObject({ host: '10.0.0.9', unit: 7, link: 'Modbus TCP', port: 502 })
  expect(box.textContent).toContain('1 of 2 channels show what can be right')
  expect(box.querySelector('tr.settle')!.textContent).toContain('-32640')
  button(box, 'mend it')!.click()
  await settled()
  expect(body.registers[0]!.at).toBe(1)
  expect(asked).toHaveLength(2)
})

test('nobody there is told in words', async () => {
  localStorage.clear()
  plantOf()
  answering({ 'POST /api/module-types/try': 'nothing answers at 10.0.0.9:502' })
  const box = await mounted(TypeTry, { modelValue: blankType() })
  await typed(field(box, 'address'), '10.0.0.9')
  button(box, 'try it')!.click()
  await settled()
  expect(box.querySelector('p[role=alert]')!.textContent).toContain('nothing answers')
})

test('a bit that is the other way round is turned, and the others stay', () => {
  const bits = [
    { bit: 0, means: 'fault' },
    { bit: 7, means: 'not calibrated' },
  ]
  const body = { ...blankType(), status_words: [{ at: 1, bits }] }
  const now = mended(body, { run: -1, word: 0, bit: 1, changes: { one_means: 'healthy' } })
  expect(now.status_words![0]!.bits).toEqual([bits[0], { ...bits[1], one_means: 'healthy' }])
})
