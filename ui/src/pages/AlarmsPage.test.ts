import { nextTick } from 'vue'
import { afterEach, expect, test } from 'vitest'
import { usePlant } from '../plant/store'
import { answering, button, cleared, field, mounted, plantOf, sent, settled, typed } from '../testing/mounted'
import AlarmsPage from './AlarmsPage.vue'

afterEach(cleared)

const SAY = 'POST /api/alarms/say'
const alarm = (point: number, kind: string, state: string, more: object = {}) => ({
  point, kind, state, active: true, priority: 'high', since: '2026-11-29T08:00:00Z', raised: '2026-11-29T08:00:00Z', who: '', why: '',
  until: null, value: null, ...more,
}) // prettier-ignore

async function page(alarms: object[], rights?: string[]) {
  const plant = plantOf(rights)
  plant.alarms = alarms as never
  plant.alarmCount = { all: alarms.length, waiting: alarms.length } as never
  const asked = answering({
    [SAY]: (body: { alarms: unknown[] }) => ({ asked: body.alarms.length, moved: 1 }),
  })
  return { box: await mounted(AlarmsPage), asked, plant }
}
const rows = (box: HTMLElement) => [...box.querySelectorAll<HTMLElement>('tbody tr')]
const press = (key: string, more: object = {}) =>
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more }))

test('chosen alarms are acknowledged by key, and what did not move is told', async () => {
  const { box, asked, plant } = await page([
    alarm(11, 'h', 'unacknowledged'),
    alarm(12, 'l', 'unacknowledged'),
  ])
  press('a')
  expect(asked).toEqual([]) // nothing is chosen
  press('a', { ctrlKey: true })
  await nextTick()
  expect(box.textContent).toContain('2 chosen')
  press('a')
  await nextTick()
  expect(asked[0]!.body).toMatchObject({ word: 'acknowledge', alarms: [[11, 'h'], [12, 'l']] }) // prettier-ignore
  await nextTick()
  expect(plant.notice?.text).toContain('1 were in a state that knows no such word')
})

test('Esc shuts the small form before it takes the choice off', async () => {
  const { box } = await page([alarm(11, 'h', 'unacknowledged')])
  rows(box)[0]!.click()
  await nextTick()
  button(box, 'shelve…')!.click()
  await nextTick()
  const why = field(box, 'why')
  why.focus()
  why.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true, cancelable: true }))
  await nextTick()
  expect(box.querySelector('form')).toBeNull()
  expect(box.textContent).toContain('1 chosen')
  press('Escape')
  await nextTick()
  expect(box.textContent).not.toContain('1 chosen')
})

test('an alarm is shelved with a reason and for a time', async () => {
  const { box, asked } = await page([alarm(11, 'h', 'unacknowledged')])
  rows(box)[0]!.click()
  await nextTick()
  button(box, 'shelve…')!.click()
  await nextTick()
  await typed(field(box, 'why'), 'sensor is being changed')
  await typed(field(box, 'for'), '90')
  await sent(box)
  expect(asked.at(-1)!.body).toMatchObject({ word: 'shelve', why: 'sensor is being changed', minutes: 90 })
})

test('a lost rack is one alarm that names how many points it takes along', async () => {
  const { box } = await page([alarm(-2, 'rack', 'unacknowledged')])
  expect(rows(box).length).toBe(1)
  expect(rows(box)[0]!.textContent).toContain('KC-2 rack 2')
  expect(rows(box)[0]!.querySelector('.service')?.textContent).toBe('1 point')
})

test('alarms are found by words, and a flood says that there are more than these', async () => {
  const { box, plant } = await page([alarm(11, 'h', 'unacknowledged'), alarm(12, 'l', 'unacknowledged')])
  await typed(field(box, 'find among the alarms'), 'zv high')
  expect(rows(box).map((row) => row.textContent)).toEqual([expect.stringContaining('ZV-2')])
  plant.alarmCount = { all: 1500, waiting: 1400 } as never
  await nextTick()
  expect(box.textContent).toContain('1500 alarms are open, 1400 wait')
})

test('who may only look says nothing', async () => {
  const { box } = await page([alarm(11, 'h', 'unacknowledged')], ['look', 'read'])
  expect(usePlant().may('edit')).toBe(false)
  expect(button(box, 'acknowledge')).toBeUndefined()
})

test('the journal is read a page at a time, and a gap is told as one', async () => {
  const line = (id: number, more: object) => ({
    id, at: '2026-11-29T08:00:00Z', point: 11, kind: 'h', event: 'rise', was: 'normal', becomes: 'unacknowledged', value: 420, who: '', why: '', ...more,
  }) // prettier-ignore
  const { box } = await page([])
  answering({
    'GET /api/journal': { lines: [line(9, {}), line(8, { point: -2, event: 'gap', value: 95 })], more: true },
  })
  button(box, 'journal')!.click()
  await settled()
  const told = rows(box).map((row) => [...row.querySelectorAll('td')].map((td) => td.textContent?.trim()))
  expect(told[0]!.slice(1, 4)).toEqual(['PT-3107', 'H', 'rise'])
  expect(told[0]![6]).toBe('420.0 mbar')
  expect(told[1]!.slice(1, 3)).toEqual(['KC-2 rack 2', 'not watched'])
  expect(told[1]![6]).toMatch(/^for /)
  button(box, 'older')!.click()
  await settled()
  expect(rows(box).length).toBe(4)
})

test('what comes and goes and what stands is told with what would calm it', async () => {
  const { box } = await page([])
  answering({ 'GET /api/alarms': { chattering: [{ point: 11, kind: 'h', times: 7 }], standing: [] } })
  button(box, 'chattering and standing')!.click()
  await settled()
  expect(box.textContent?.replace(/\s+/g, ' ')).toContain('▲ PT-3107 H: 7 times within a minute')
  expect(box.textContent).toContain('no alarm has stood for long')
})
