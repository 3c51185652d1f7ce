import { afterEach, expect, test, vi } from 'vitest'
import { createApp, nextTick, type App } from 'vue'
import { vuetifyOf } from '../theme/vuetify'
import AwayApp from './AwayApp.vue'
import type { Kept, Package } from './model'

const store = new Map<string, Kept>()
vi.mock('./store', () => ({
  keptOf: async (code: string) => store.get(code),
  keep: async (code: string, kept: Kept) => void store.set(code, kept),
}))

const step = (mA: number) => ({
  share: (mA - 4) / 0.16, way: 'up', process: '', signal: `${mA} mA`, value: `${(mA - 4) * 37.5} mbar`,
  signal_number: mA, due: (mA - 4) * 37.5, per_signal: 37.5,
}) // prettier-ignore
const POINT = {
  id: 1, tag: 'PT-3107', service: 'gas pressure', area: 'kiln 2', system: '', channel: 'KC-2·1·2·1', terminals: '5 +, 6 −',
  cable: 'W-1', cores: '1, 2', strip: '', trips: '', inhibit: '', tell: '', contact: false, words: ['0', '1'], unit: 'mbar',
  decimals: 1, signal_unit: 'mA', span: 600, tolerance: 0.5, trips_told: [], open: [], why_not: '',
  steps: [step(4), step(12)],
} // prettier-ignore
const TAKEN = {
  format: 'canaleta away', version: 1, plant: 'Vallroja', package: 'kiln 2', code: 'c1', who: 'pau', taken_at: '2027-03-01T08:00:00Z',
  seq: 9, instruments: [{ name: 'cal 3', serial: '77', due: '2999-12' }],
  points: [POINT, { ...POINT, id: 2, tag: 'ZS-1', contact: true, words: ['open', 'shut'], steps: [{ ...step(4), due: 0 }, { ...step(4), due: 1 }] }],
} as unknown as Package // prettier-ignore

let app: App | undefined
afterEach(() => {
  app?.unmount()
  document.body.innerHTML = ''
  store.clear()
})

async function page() {
  const box = document.createElement('div')
  document.body.append(box)
  app = createApp(AwayApp, { taken: TAKEN })
  app.use(vuetifyOf(false)).mount(box)
  for (let turn = 0; turn < 10; turn++) await nextTick()
  return box
}
const press = async (box: HTMLElement, words: string) => {
  const found = [...box.querySelectorAll('button')].find((b) => b.textContent!.includes(words))
  if (!found) throw new Error(`no button “${words}”`)
  found.click()
  for (let turn = 0; turn < 5; turn++) await nextTick()
}
async function type(box: HTMLElement, label: string, text: string) {
  const at = (box.querySelector(`[aria-label="${label}"]`) ??
    [...box.querySelectorAll('label')]
      .find((l) => l.textContent!.trim().startsWith(label))
      ?.querySelector('input, select')) as HTMLInputElement
  at.value = text
  at.dispatchEvent(new Event('input', { bubbles: true }))
  at.dispatchEvent(new Event('change', { bubbles: true }))
  for (let turn = 0; turn < 5; turn++) await nextTick()
}

test('a point is read, judged, finished, and still there when the page is opened again', async () => {
  let box = await page()
  await type(box, 'your name', 'Pau Riba')
  await type(box, 'instrument', 'cal 3')
  await type(box, 'calibrated until', '2999-12')
  await press(box, 'PT-3107')
  expect(box.textContent).toContain('terminals 5 +, 6 −')
  await type(box, 'what was read at 0 % up', '0,5')
  await type(box, 'what was read at 50 % up', '30')
  expect(box.textContent).toContain('is the decimal point where it belongs?')
  expect([...box.querySelectorAll('button')].find((b) => b.textContent!.trim() === 'done')!.disabled).toBe(
    true,
  )
  await type(box, 'what was read at 50 % up', '301')
  await type(box, 'what the calibrator said at 50 % up', 'twelve')
  expect(box.textContent).toContain('“twelve” is no figure')
  await press(box, 'done')
  expect(box.textContent).toContain('✓ done')
  app!.unmount()
  document.body.innerHTML = ''
  box = await page()
  expect(box.textContent).toContain('1 of 2 done')
  expect(store.get('c1')!.work[1]!.readings.map((r) => r.value)).toEqual([0.5, 301])
  const code = store.get('c1')!.work[1]!.done
  await press(box, 'PT-3107')
  await type(box, 'what was read at 0 % up', '0,4')
  await press(box, 'done')
  expect(store.get('c1')!.work[1]!.done).not.toBe(code)
})

test('a contact is read by its words; a mark is put on and taken off; something is raised', async () => {
  const box = await page()
  await press(box, 'ZS-1')
  await press(box, 'shut')
  expect(store.get('c1')!.work[2]!.readings[0]!.value).toBe(1)
  await press(box, 'wired')
  expect(store.get('c1')!.marks.map((m) => m.rung)).toEqual(['wired'])
  await press(box, 'wired')
  expect(store.get('c1')!.marks).toEqual([])
  await type(box, 'what is to be mended', 'no label')
  await press(box, 'raise it')
  expect(store.get('c1')!.punches[0]).toMatchObject({ what: 'no label', severity: 'B', point: 2 })
})

test('points are found by their words, and an empty answer says so', async () => {
  const box = await page()
  await type(box, 'find a point', 'nothing like it')
  expect(box.textContent).toContain('no point is called so')
})

test('the pages of a point go along: path, wiring and settings, and the test is as it was', async () => {
  const page_ = {
    facts: [{ title: 'the loop', verdict: 'it holds', tone: '', rows: [{ label: 'at 20 mA', figure: '11.8 V', basis: 'of 12 V', tone: '' }] }],
    wiring: {
      svg: '<svg><text>X1:1</text></svg>', words: 'two wires', faults: [], way: ['from + to the device'], notes: [], safe: ['it trips the kiln'],
      readings: [{ meter: 'mA', where: 'in series', healthy: '4 to 20 mA', otherwise: [['0 mA', 'a core is open']] }],
      calibrator: 'sinks', steps: ['open the knife'],
    },
    settings: [
      { station: 'POINT', label: 'tag', unit: '', text: 'PT-3107', follows: false },
      { station: 'LOOP', label: 'section', unit: 'mm²', text: '0.75', follows: true },
    ],
    channel_settings: [{ of: 'filter', text: '50 Hz', where: 'holding register 12 (from 0)' }],
  } // prettier-ignore
  const first = TAKEN.points[0]!
  first.page = page_ as unknown as NonNullable<typeof first.page>
  const box = await page()
  await press(box, 'PT-3107')
  await type(box, 'what was read at 0 % up', '0')
  await press(box, 'wiring')
  expect(box.textContent).toContain('it trips the kiln')
  expect(box.querySelector('svg text')!.textContent).toBe('X1:1')
  expect(box.textContent).toContain('0 mA: a core is open')
  await press(box, 'settings')
  expect(box.textContent).toContain('holding register 12 (from 0)')
  expect(box.textContent).toContain('0.75 mm² follows: nothing was typed')
  await press(box, 'path')
  expect(box.textContent).toContain('11.8 V')
  await press(box, 'test')
  expect((box.querySelector('[aria-label="what was read at 0 % up"]') as HTMLInputElement).value).toBe('0')
  await press(box, 'all points')
  await press(box, 'ZS-1')
  expect(box.textContent).not.toContain('settings')
  delete first.page
})
